-- Each product gets its page for every day, live from the beginning, at the address that it has today.
CREATE TABLE "checkout_pages" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"product_id" uuid NOT NULL,
	"slug" text NOT NULL,
	"is_everyday" boolean NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "checkout_pages_slug_unique" UNIQUE("slug")
);
--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "page_id" uuid;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "page_version" integer;--> statement-breakpoint
ALTER TABLE "checkout_pages" ADD CONSTRAINT "checkout_pages_product_id_products_id_fk" FOREIGN KEY ("product_id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "checkout_pages_of_product" ON "checkout_pages" USING btree ("product_id");--> statement-breakpoint
CREATE UNIQUE INDEX "checkout_pages_one_everyday" ON "checkout_pages" USING btree ("product_id") WHERE "checkout_pages"."is_everyday";--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_page_id_checkout_pages_id_fk" FOREIGN KEY ("page_id") REFERENCES "public"."checkout_pages"("id") ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
INSERT INTO "checkout_pages" ("product_id", "slug", "is_everyday", "draft", "draft_at", "live", "live_version", "live_at", "created_at")
SELECT "id", "slug", true, '{"offers": null, "chosen": null, "version": 1}', "created_at", '{"offers": null, "chosen": null, "version": 1}', 1, "created_at", "created_at"
FROM "courses";
--> statement-breakpoint
INSERT INTO "versions" ("subject", "subject_id", "version", "content", "published_at")
SELECT 'page', "id", 1, "live", "live_at" FROM "checkout_pages";
