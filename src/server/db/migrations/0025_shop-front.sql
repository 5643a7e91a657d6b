CREATE TABLE "fronts" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"is_only" boolean DEFAULT true NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "fronts_isOnly_unique" UNIQUE("is_only")
);
