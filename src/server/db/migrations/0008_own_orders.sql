DROP INDEX "orders_one_unpaid";--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "request_key" text;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "buyer_name" text;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "duplicate_of" uuid;--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_duplicate_of_orders_id_fk" FOREIGN KEY ("duplicate_of") REFERENCES "public"."orders"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_per_request" ON "attempts" USING btree ("agreement_id","request_key");--> statement-breakpoint
CREATE UNIQUE INDEX "orders_one_unpaid_per_browser" ON "orders" USING btree ("person_id","offer_id","browser_hash") WHERE "orders"."state" <> 'paid';--> statement-breakpoint
CREATE INDEX "orders_duplicate" ON "orders" USING btree ("mode") WHERE "orders"."duplicate_of" is not null;