DROP INDEX "codes_of_coupon";--> statement-breakpoint
ALTER TABLE "codes" ADD COLUMN "withdrawn_at" timestamp (3) with time zone;--> statement-breakpoint
CREATE INDEX "code_uses_of_code" ON "code_uses" USING btree ("code_id");--> statement-breakpoint
CREATE INDEX "codes_of_coupon" ON "codes" USING btree ("coupon_id","created_at","id");