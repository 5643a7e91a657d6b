CREATE TABLE "order_links" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"order_id" uuid NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"expires_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "messages" ADD COLUMN "to" text;--> statement-breakpoint
ALTER TABLE "messages" ADD COLUMN "letter" jsonb;--> statement-breakpoint
ALTER TABLE "messages" ADD COLUMN "again_of" uuid;--> statement-breakpoint
ALTER TABLE "agreements" ADD COLUMN "renewal_told" date;--> statement-breakpoint
ALTER TABLE "disputes" ADD COLUMN "access_decided_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "placed_on" date;--> statement-breakpoint
ALTER TABLE "transfers" ADD COLUMN "is_surplus" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "transfers" ADD COLUMN "given_back_on" date;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "postal_address" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "erased_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "sender_name" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "reply_to" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "sold_telling" text DEFAULT 'each' NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "renewal_notice_days" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "keep_years" integer DEFAULT 7 NOT NULL;--> statement-breakpoint
ALTER TABLE "order_links" ADD CONSTRAINT "order_links_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "order_links_of_order" ON "order_links" USING btree ("order_id");--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_again_of_messages_id_fk" FOREIGN KEY ("again_of") REFERENCES "public"."messages"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "disputes_lost" ON "disputes" USING btree ("created_at") WHERE "disputes"."state" = 'lost' and "disputes"."access_decided_at" is null;--> statement-breakpoint
CREATE INDEX "transfers_surplus" ON "transfers" USING btree ("created_at") WHERE "transfers"."is_surplus" and "transfers"."given_back_on" is null and "transfers"."taken_back_at" is null;--> statement-breakpoint
CREATE INDEX "grants_too_late" ON "grants" USING btree ("mode") WHERE "grants"."closes" <= "grants"."opens";--> statement-breakpoint
-- Orders paid so far opened their courses as if they had been paid on the day of the purchase.
UPDATE "orders" SET "placed_on" = ("quote"->>'purchaseDay')::date WHERE "state" = 'paid';--> statement-breakpoint
-- Whoever gave a dispute up has said what becomes of the course.
UPDATE "disputes" d SET "access_decided_at" = d."decided_at" WHERE d."state" = 'lost' AND EXISTS (
  SELECT FROM "journal" j WHERE j."order_id" = d."order_id" AND j."what" = 'dispute-answered' AND j."data"->>'answer' = 'given-up');
