CREATE TABLE "unknown_payments" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"connection_id" uuid NOT NULL,
	"key" text NOT NULL,
	"reference" text NOT NULL,
	"amount" bigint NOT NULL,
	"currency" text NOT NULL,
	"method" text NOT NULL,
	"about" text NOT NULL,
	"collected_at" timestamp (3) with time zone NOT NULL,
	"found_at" timestamp (3) with time zone NOT NULL,
	"state" text NOT NULL,
	"note" text,
	"settled_at" timestamp (3) with time zone,
	CONSTRAINT "unknown_payments_once" UNIQUE("connection_id","key")
);
--> statement-breakpoint
CREATE TABLE "upkeep" (
	"name" text PRIMARY KEY NOT NULL,
	"at" timestamp (3) with time zone NOT NULL,
	"data" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "connections" ADD COLUMN "reconciled_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "unknown_payments" ADD CONSTRAINT "unknown_payments_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE no action ON UPDATE no action;