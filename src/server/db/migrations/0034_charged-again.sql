CREATE TABLE "charged_again" (
	"attempt_id" uuid NOT NULL,
	"line_id" uuid NOT NULL,
	"amount" bigint NOT NULL,
	CONSTRAINT "charged_again_attempt_id_line_id_pk" PRIMARY KEY("attempt_id","line_id")
);
--> statement-breakpoint
DROP INDEX "attempts_one_collected";--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "replaces_id" uuid;--> statement-breakpoint
ALTER TABLE "refunds" ADD COLUMN "awaits_id" uuid;--> statement-breakpoint
ALTER TABLE "charged_again" ADD CONSTRAINT "charged_again_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "charged_again" ADD CONSTRAINT "charged_again_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "attempts" ADD CONSTRAINT "attempts_replaces_id_attempts_id_fk" FOREIGN KEY ("replaces_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "refunds" ADD CONSTRAINT "refunds_awaits_id_attempts_id_fk" FOREIGN KEY ("awaits_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_collected_again" ON "attempts" USING btree ("replaces_id") WHERE "attempts"."state" = 'collected' and "attempts"."replaces_id" is not null;--> statement-breakpoint
CREATE INDEX "attempts_replacing" ON "attempts" USING btree ("replaces_id") WHERE "attempts"."replaces_id" is not null;--> statement-breakpoint
CREATE INDEX "refunds_awaiting" ON "refunds" USING btree ("awaits_id") WHERE "refunds"."awaits_id" is not null;--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_collected" ON "attempts" USING btree ("order_id") WHERE "attempts"."state" = 'collected' and "attempts"."agreement_id" is null and "attempts"."replaces_id" is null;