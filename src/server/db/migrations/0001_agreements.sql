CREATE TABLE "agreements" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"person_id" uuid NOT NULL,
	"order_id" uuid NOT NULL,
	"line_id" uuid NOT NULL,
	"connection_id" uuid NOT NULL,
	"kept" text,
	"method" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "agreements_lineId_unique" UNIQUE("line_id")
);
--> statement-breakpoint
ALTER TABLE "attempts" ADD COLUMN "kept" text;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "agreements_of_person" ON "agreements" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "agreements_of_order" ON "agreements" USING btree ("order_id");