CREATE TABLE "bundle_growths" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"bundle_id" uuid NOT NULL,
	"course_id" uuid NOT NULL,
	"what" text NOT NULL,
	"notifies" boolean NOT NULL,
	"live_day" date NOT NULL,
	"practice_day" date NOT NULL,
	"total" integer NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"after" uuid,
	"created_at" timestamp (3) with time zone NOT NULL,
	"finished_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE TABLE "bundles" (
	"id" uuid PRIMARY KEY NOT NULL,
	"slug" text NOT NULL,
	"position" integer NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"retired_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "bundles_slug_unique" UNIQUE("slug")
);
--> statement-breakpoint
ALTER TABLE "refunds" ADD COLUMN "course_ids" uuid[];--> statement-breakpoint
ALTER TABLE "bundle_growths" ADD CONSTRAINT "bundle_growths_bundle_id_bundles_id_fk" FOREIGN KEY ("bundle_id") REFERENCES "public"."bundles"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "bundle_growths" ADD CONSTRAINT "bundle_growths_course_id_courses_id_fk" FOREIGN KEY ("course_id") REFERENCES "public"."courses"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "bundles" ADD CONSTRAINT "bundles_id_products_id_fk" FOREIGN KEY ("id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "bundle_growths_of_bundle" ON "bundle_growths" USING btree ("bundle_id","created_at");--> statement-breakpoint
CREATE INDEX "bundle_growths_under_way" ON "bundle_growths" USING btree ("created_at") WHERE "bundle_growths"."finished_at" is null;--> statement-breakpoint
CREATE INDEX "line_courses_of_course" ON "line_courses" USING btree ("course_id","line_id");--> statement-breakpoint
CREATE INDEX "order_lines_of_product" ON "order_lines" USING btree ("product_id","id");--> statement-breakpoint
CREATE VIEW "catalogue" AS
  SELECT id, 'course'::text AS kind, slug, position, draft, live, retired_at, created_at FROM courses
  UNION ALL
  SELECT id, 'bundle'::text AS kind, slug, position, draft, live, retired_at, created_at FROM bundles;
