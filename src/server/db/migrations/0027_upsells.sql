CREATE TABLE "upsell_refusals" (
	"order_id" uuid NOT NULL,
	"upsell" text NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "upsell_refusals_order_id_upsell_pk" PRIMARY KEY("order_id","upsell")
);
--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "forget_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "follows_id" uuid;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "upsell" text;--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "upsells_ended_at" timestamp (3) with time zone;--> statement-breakpoint
ALTER TABLE "upsell_refusals" ADD CONSTRAINT "upsell_refusals_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_follows_id_orders_id_fk" FOREIGN KEY ("follows_id") REFERENCES "public"."orders"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "attempts_to_forget" ON "attempts" USING btree ("forget_at") WHERE "attempts"."forget_at" is not null;--> statement-breakpoint
CREATE UNIQUE INDEX "orders_one_per_upsell" ON "orders" USING btree ("follows_id","upsell") WHERE "orders"."follows_id" is not null;