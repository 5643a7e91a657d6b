ALTER TABLE "orders" DROP CONSTRAINT "orders_duplicate_of_orders_id_fk";
--> statement-breakpoint
DROP INDEX "orders_duplicate";--> statement-breakpoint
ALTER TABLE "order_lines" ADD COLUMN "duplicate_of" uuid;--> statement-breakpoint
ALTER TABLE "order_lines" ADD CONSTRAINT "order_lines_duplicate_of_orders_id_fk" FOREIGN KEY ("duplicate_of") REFERENCES "public"."orders"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
UPDATE "order_lines" l SET "duplicate_of" = o."duplicate_of" FROM "orders" o WHERE o."id" = l."order_id" AND o."duplicate_of" IS NOT NULL;--> statement-breakpoint
CREATE INDEX "order_lines_duplicate" ON "order_lines" USING btree ("order_id") WHERE "order_lines"."duplicate_of" is not null;--> statement-breakpoint
ALTER TABLE "orders" DROP COLUMN "duplicate_of";