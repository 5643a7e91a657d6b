CREATE TABLE "page_addresses" (
	"slug" text PRIMARY KEY NOT NULL,
	"page_id" uuid NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "checkout_pages" ADD COLUMN "is_main" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "checkout_pages" ADD COLUMN "retired_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "came_from" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "page_addresses" ADD CONSTRAINT "page_addresses_page_id_checkout_pages_id_fk" FOREIGN KEY ("page_id") REFERENCES "public"."checkout_pages"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "checkout_pages_one_main" ON "checkout_pages" USING btree ("product_id") WHERE "checkout_pages"."is_main";--> statement-breakpoint
UPDATE "checkout_pages" SET "is_main" = true WHERE "is_everyday";--> statement-breakpoint
CREATE OR REPLACE VIEW "catalogue" AS
  SELECT id, 'course'::text AS kind, slug, position, draft, live, retired_at, created_at,
    (SELECT p.slug FROM checkout_pages p WHERE p.product_id = courses.id AND p.is_main) AS page_slug FROM courses
  UNION ALL
  SELECT id, 'bundle'::text AS kind, slug, position, draft, live, retired_at, created_at,
    (SELECT p.slug FROM checkout_pages p WHERE p.product_id = bundles.id AND p.is_main) AS page_slug FROM bundles;
