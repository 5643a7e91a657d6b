ALTER TABLE "versions" ADD COLUMN "is_comparable" boolean DEFAULT true NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "leave_out_zeros" boolean DEFAULT false NOT NULL;