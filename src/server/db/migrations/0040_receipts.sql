ALTER TABLE "messages" ADD COLUMN "attempt_id" uuid;--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "parties" jsonb;--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "messages_of_attempt" ON "messages" USING btree ("attempt_id") WHERE "messages"."attempt_id" is not null;
