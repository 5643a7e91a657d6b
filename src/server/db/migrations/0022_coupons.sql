CREATE TABLE "code_uses" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"coupon_id" uuid NOT NULL,
	"code_id" uuid NOT NULL,
	"order_id" uuid NOT NULL,
	"state" text NOT NULL,
	"saves" bigint NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "code_uses_once_per_order" UNIQUE("order_id","coupon_id")
);
--> statement-breakpoint
CREATE TABLE "codes" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"coupon_id" uuid NOT NULL,
	"code" text NOT NULL,
	"key" text NOT NULL,
	"freed_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "coupons" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"ended_at" timestamp (3) with time zone,
	"retired_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "code_uses" ADD CONSTRAINT "code_uses_coupon_id_coupons_id_fk" FOREIGN KEY ("coupon_id") REFERENCES "public"."coupons"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "code_uses" ADD CONSTRAINT "code_uses_code_id_codes_id_fk" FOREIGN KEY ("code_id") REFERENCES "public"."codes"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "code_uses" ADD CONSTRAINT "code_uses_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "codes" ADD CONSTRAINT "codes_coupon_id_coupons_id_fk" FOREIGN KEY ("coupon_id") REFERENCES "public"."coupons"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "code_uses_of_coupon" ON "code_uses" USING btree ("coupon_id","mode") WHERE "code_uses"."state" <> 'released';--> statement-breakpoint
CREATE UNIQUE INDEX "codes_one_of_a_word" ON "codes" USING btree ("key") WHERE "codes"."freed_at" is null;--> statement-breakpoint
CREATE INDEX "codes_of_coupon" ON "codes" USING btree ("coupon_id");