ALTER TABLE "code_uses" ADD COLUMN "held_from" text;--> statement-breakpoint
CREATE INDEX "code_uses_held_from" ON "code_uses" USING btree ("held_from") WHERE "code_uses"."state" = 'reserved';--> statement-breakpoint
CREATE INDEX "code_uses_held" ON "code_uses" USING btree ("created_at") WHERE "code_uses"."state" = 'reserved';