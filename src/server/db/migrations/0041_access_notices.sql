ALTER TABLE "grants" ADD COLUMN "opening_notified" date;--> statement-breakpoint
ALTER TABLE "grants" ADD COLUMN "end_notified" date;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "end_notice_days" integer DEFAULT 7 NOT NULL;--> statement-breakpoint
CREATE INDEX "grants_opening" ON "grants" USING btree ("mode","opens") WHERE "grants"."opening_notified" is null;--> statement-breakpoint
CREATE INDEX "grants_ending" ON "grants" USING btree ("mode","closes") WHERE "grants"."closes" is not null;
