ALTER TABLE "grants" ADD COLUMN "members_of" jsonb;--> statement-breakpoint
ALTER TABLE "order_lines" ADD COLUMN "members_of" jsonb;
