DROP INDEX "people_newest";--> statement-breakpoint
ALTER TABLE "payments" ADD COLUMN "offer_id" uuid;--> statement-breakpoint
ALTER TABLE "payments" DISABLE TRIGGER "money_payments_changed";--> statement-breakpoint
UPDATE "payments" SET "offer_id" = "order_lines"."offer_id" FROM "order_lines" WHERE "order_lines"."id" = "payments"."line_id";--> statement-breakpoint
ALTER TABLE "payments" ENABLE TRIGGER "money_payments_changed";--> statement-breakpoint
ALTER TABLE "payments" ALTER COLUMN "offer_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "grants" ADD COLUMN "offer_id" uuid;--> statement-breakpoint
CREATE INDEX "agreements_expiring" ON "agreements" USING btree ("mode","next_try") WHERE "agreements"."state" = 'active' and "agreements"."expires" is not null;--> statement-breakpoint
CREATE INDEX "agreements_of_connection" ON "agreements" USING btree ("connection_id","next_try") WHERE "agreements"."state" = 'active';--> statement-breakpoint
CREATE INDEX "attempts_of_agreement" ON "attempts" USING btree ("agreement_id","started_at") WHERE "attempts"."agreement_id" is not null;--> statement-breakpoint
CREATE INDEX "attempts_under_way" ON "attempts" USING btree ("started_at") WHERE "attempts"."state" in ('started', 'unknown', 'confirming', 'awaiting');--> statement-breakpoint
CREATE INDEX "payments_of_offer" ON "payments" USING btree ("mode","offer_id","due","order_id","id");--> statement-breakpoint
CREATE INDEX "grants_of_offer" ON "grants" USING btree ("offer_id","mode","person_id") WHERE "grants"."ended_at" is null;--> statement-breakpoint
CREATE INDEX "people_newest" ON "people" USING btree ("mode","created_at","id");--> statement-breakpoint
UPDATE "grants" SET "offer_id" = "order_lines"."offer_id" FROM "order_lines" WHERE "order_lines"."id" = "grants"."line_id";
