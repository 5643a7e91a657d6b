CREATE TABLE "keyed_requests" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"who" text NOT NULL,
	"mode" text NOT NULL,
	"key" text NOT NULL,
	"fingerprint" text NOT NULL,
	"busy_until" timestamp (3) with time zone NOT NULL,
	"result" jsonb,
	"status" integer,
	"body" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "keyed_requests_once" UNIQUE("who","mode","key")
);
--> statement-breakpoint
DROP INDEX "attempts_one_per_request";--> statement-breakpoint
CREATE INDEX "keyed_requests_by_age" ON "keyed_requests" USING btree ("created_at");--> statement-breakpoint
ALTER TABLE "attempts" DROP COLUMN "request_key";