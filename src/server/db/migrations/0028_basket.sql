CREATE TABLE "basket_lines" (
	"basket_id" uuid NOT NULL,
	"product_id" uuid NOT NULL,
	"offer_id" uuid NOT NULL,
	"chosen" bigint,
	"price_seen" text NOT NULL,
	"added_at" timestamp (3) with time zone NOT NULL,
	"taken_out_at" timestamp (3) with time zone,
	CONSTRAINT "basket_lines_basket_id_product_id_pk" PRIMARY KEY("basket_id","product_id")
);
--> statement-breakpoint
CREATE TABLE "baskets" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"token_hash" text,
	"person_id" uuid,
	"changed_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "checkout_pages" ALTER COLUMN "product_id" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "from_basket_id" uuid;--> statement-breakpoint
ALTER TABLE "basket_lines" ADD CONSTRAINT "basket_lines_basket_id_baskets_id_fk" FOREIGN KEY ("basket_id") REFERENCES "public"."baskets"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "basket_lines" ADD CONSTRAINT "basket_lines_product_id_products_id_fk" FOREIGN KEY ("product_id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "basket_lines" ADD CONSTRAINT "basket_lines_offer_id_offers_id_fk" FOREIGN KEY ("offer_id") REFERENCES "public"."offers"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "baskets" ADD CONSTRAINT "baskets_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "baskets_of_browser" ON "baskets" USING btree ("mode","token_hash") WHERE "baskets"."token_hash" is not null;--> statement-breakpoint
CREATE UNIQUE INDEX "baskets_of_person" ON "baskets" USING btree ("person_id") WHERE "baskets"."person_id" is not null;--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_from_basket_id_baskets_id_fk" FOREIGN KEY ("from_basket_id") REFERENCES "public"."baskets"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "orders_from_basket" ON "orders" USING btree ("from_basket_id") WHERE "orders"."from_basket_id" is not null;--> statement-breakpoint
-- The address of the page at which a basket is paid is no product's.
UPDATE "checkout_pages" SET "slug" = 'basket-course' WHERE "slug" = 'basket';--> statement-breakpoint
UPDATE "courses" SET "slug" = 'basket-course' WHERE "slug" = 'basket';--> statement-breakpoint
UPDATE "bundles" SET "slug" = 'basket-course' WHERE "slug" = 'basket';--> statement-breakpoint
WITH page AS (
	INSERT INTO "checkout_pages" ("slug", "is_everyday", "draft", "draft_at", "live", "live_version", "live_at", "created_at")
	SELECT 'basket', false, content, now(), content, 1, now(), now()
	FROM (SELECT '{"offers": null, "chosen": null, "bumps": [], "upsells": [], "upsellsByTransfer": false, "version": 4}'::jsonb AS content) one
	RETURNING "id", "live", "live_at"
)
INSERT INTO "versions" ("subject", "subject_id", "version", "content", "published_at")
SELECT 'page', "id", 1, "live", "live_at" FROM page;
