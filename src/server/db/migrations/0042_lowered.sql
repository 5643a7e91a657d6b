ALTER TABLE "line_courses" ADD COLUMN "paid_through" integer;--> statement-breakpoint
ALTER TABLE "refunds" ADD COLUMN "lowers_later" boolean DEFAULT false NOT NULL;
