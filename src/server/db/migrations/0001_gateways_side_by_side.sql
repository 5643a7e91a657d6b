CREATE TABLE "disputes" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"attempt_id" uuid NOT NULL,
	"reference" text NOT NULL,
	"amount" bigint NOT NULL,
	"reason" text NOT NULL,
	"state" text NOT NULL,
	"note" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	"decided_at" timestamp (3) with time zone,
	CONSTRAINT "disputes_once" UNIQUE("attempt_id","reference")
);
--> statement-breakpoint
CREATE TABLE "refunds" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"line_id" uuid NOT NULL,
	"attempt_id" uuid NOT NULL,
	"key" text NOT NULL,
	"amount" bigint NOT NULL,
	"state" text NOT NULL,
	"reference" text,
	"why" text,
	"note" text NOT NULL,
	"access" text NOT NULL,
	"day" date NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"settled_at" timestamp (3) with time zone,
	CONSTRAINT "refunds_key_unique" UNIQUE("key")
);
--> statement-breakpoint
CREATE TABLE "transfers" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"attempt_id" uuid NOT NULL,
	"amount" bigint NOT NULL,
	"day" date NOT NULL,
	"note" text NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"taken_back_at" timestamp (3) with time zone,
	"taken_back_note" text
);
--> statement-breakpoint
DROP INDEX "attempts_one_open";--> statement-breakpoint
ALTER TABLE "offers" ADD COLUMN "is_trial" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "connections" ADD COLUMN "stands_alone" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "connections" ADD COLUMN "transfer" jsonb;--> statement-breakpoint
ALTER TABLE "connections" ADD COLUMN "paused_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "connections" ADD COLUMN "down_since" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "messages" ADD COLUMN "refund_id" uuid;--> statement-breakpoint
ALTER TABLE "agreements" ADD COLUMN "expires" date;--> statement-breakpoint
ALTER TABLE "agreements" ADD COLUMN "expiry_told" date;--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "expires" date;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "grace_days" integer DEFAULT 3 NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "tells" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "school" ADD COLUMN "terms" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "disputes" ADD CONSTRAINT "disputes_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "disputes" ADD CONSTRAINT "disputes_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "refunds" ADD CONSTRAINT "refunds_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "refunds" ADD CONSTRAINT "refunds_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "refunds" ADD CONSTRAINT "refunds_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "transfers" ADD CONSTRAINT "transfers_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "transfers" ADD CONSTRAINT "transfers_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "disputes_of_order" ON "disputes" USING btree ("order_id");--> statement-breakpoint
CREATE INDEX "disputes_open" ON "disputes" USING btree ("created_at") WHERE "disputes"."state" in ('open', 'contested');--> statement-breakpoint
CREATE INDEX "refunds_of_order" ON "refunds" USING btree ("order_id");--> statement-breakpoint
CREATE INDEX "refunds_of_attempt" ON "refunds" USING btree ("attempt_id");--> statement-breakpoint
CREATE INDEX "refunds_under_way" ON "refunds" USING btree ("created_at") WHERE "refunds"."state" = 'started';--> statement-breakpoint
CREATE INDEX "transfers_of_order" ON "transfers" USING btree ("order_id");--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_refund_id_refunds_id_fk" FOREIGN KEY ("refund_id") REFERENCES "public"."refunds"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_open" ON "attempts" USING btree ("order_id",coalesce("agreement_id", "order_id")) WHERE "attempts"."state" in ('started', 'unknown', 'confirming', 'awaiting');