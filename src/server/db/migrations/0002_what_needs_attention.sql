CREATE INDEX "messages_failed" ON "messages" USING btree ("created_at") WHERE "messages"."state" = 'failed';--> statement-breakpoint
CREATE INDEX "messages_waiting" ON "messages" USING btree ("mode") WHERE "messages"."state" = 'waiting';--> statement-breakpoint
CREATE INDEX "agreements_late" ON "agreements" USING btree ("mode","first_tried") WHERE "agreements"."state" = 'active' and "agreements"."tries" > 0;--> statement-breakpoint
CREATE INDEX "agreements_stopped" ON "agreements" USING btree ("mode","last_collected") WHERE "agreements"."state" = 'stopped';--> statement-breakpoint
CREATE INDEX "journal_surplus" ON "journal" USING btree ("at") WHERE "journal"."what" = 'attempt-surplus';