CREATE SEQUENCE "public"."live_order_numbers" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1001 CACHE 1;--> statement-breakpoint
CREATE SEQUENCE "public"."practice_order_numbers" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1001 CACHE 1;--> statement-breakpoint
CREATE TABLE "courses" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"slug" text NOT NULL,
	"position" integer NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"retired_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "courses_slug_unique" UNIQUE("slug")
);
--> statement-breakpoint
CREATE TABLE "offers" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"course_id" uuid NOT NULL,
	"position" integer NOT NULL,
	"draft" jsonb NOT NULL,
	"draft_rev" integer DEFAULT 1 NOT NULL,
	"draft_at" timestamp (3) with time zone NOT NULL,
	"live" jsonb,
	"live_version" integer DEFAULT 0 NOT NULL,
	"live_at" timestamp (3) with time zone,
	"on_sale" boolean DEFAULT false NOT NULL,
	"retired_at" timestamp (3) with time zone,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "pictures" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"large" "bytea" NOT NULL,
	"small" "bytea" NOT NULL,
	"width" integer NOT NULL,
	"height" integer NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "versions" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"subject" text NOT NULL,
	"subject_id" uuid NOT NULL,
	"version" integer NOT NULL,
	"content" jsonb NOT NULL,
	"published_at" timestamp (3) with time zone NOT NULL,
	"published_by" uuid,
	"is_comparable" boolean DEFAULT true NOT NULL,
	CONSTRAINT "versions_numbered" UNIQUE("subject","subject_id","version")
);
--> statement-breakpoint
CREATE TABLE "connections" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"adapter" text NOT NULL,
	"account" text NOT NULL,
	"account_name" text NOT NULL,
	"secret" text NOT NULL,
	"secret_ends" text NOT NULL,
	"signing_secret" text NOT NULL,
	"position" integer DEFAULT 0 NOT NULL,
	"verified_at" timestamp (3) with time zone NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"disconnected_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE TABLE "gateway_events" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"connection_id" uuid,
	"event_id" text,
	"type" text,
	"state" text NOT NULL,
	"note" text,
	"body" jsonb,
	"received_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "gateway_events_once" UNIQUE("connection_id","event_id")
);
--> statement-breakpoint
CREATE TABLE "messages" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"kind" text NOT NULL,
	"person_id" uuid NOT NULL,
	"order_id" uuid,
	"agreement_id" uuid,
	"course_title" text,
	"state" text NOT NULL,
	"error" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	"sent_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE TABLE "agreements" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"person_id" uuid NOT NULL,
	"order_id" uuid NOT NULL,
	"line_id" uuid NOT NULL,
	"connection_id" uuid NOT NULL,
	"kept" text,
	"method" text,
	"kind" text NOT NULL,
	"endless" boolean NOT NULL,
	"state" text NOT NULL,
	"collected" integer NOT NULL,
	"last_collected" date NOT NULL,
	"tries" integer NOT NULL,
	"first_tried" date,
	"next_try" date,
	"cancelled_on" date,
	"cancelled_when" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "agreements_lineId_unique" UNIQUE("line_id")
);
--> statement-breakpoint
CREATE TABLE "attempts" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"agreement_id" uuid,
	"from_n" integer,
	"to_n" integer,
	"day" date NOT NULL,
	"made_by" text NOT NULL,
	"key" text NOT NULL,
	"connection_id" uuid NOT NULL,
	"amount" bigint NOT NULL,
	"currency" text NOT NULL,
	"state" text NOT NULL,
	"reference" text,
	"reason" text,
	"fee" bigint,
	"method" text,
	"confirm_url" text,
	"kept" text,
	"started_at" timestamp (3) with time zone NOT NULL,
	"settled_at" timestamp (3) with time zone,
	CONSTRAINT "attempts_key_unique" UNIQUE("key")
);
--> statement-breakpoint
CREATE TABLE "journal" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"order_id" uuid,
	"person_id" uuid,
	"at" timestamp (3) with time zone NOT NULL,
	"what" text NOT NULL,
	"data" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "order_lines" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"position" integer NOT NULL,
	"offer_id" uuid NOT NULL,
	"offer_version" integer NOT NULL,
	"course_title" text NOT NULL,
	"offer_name" text NOT NULL,
	"role" text NOT NULL,
	"quoted" jsonb NOT NULL,
	CONSTRAINT "order_lines_placed" UNIQUE("order_id","position")
);
--> statement-breakpoint
CREATE TABLE "orders" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"number" integer NOT NULL,
	"person_id" uuid NOT NULL,
	"offer_id" uuid NOT NULL,
	"state" text NOT NULL,
	"currency" text NOT NULL,
	"pay_today" bigint NOT NULL,
	"quote_input" jsonb NOT NULL,
	"quote" jsonb NOT NULL,
	"browser_hash" text NOT NULL,
	"search_text" text NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"paid_at" timestamp (3) with time zone,
	CONSTRAINT "orders_numbered" UNIQUE("mode","number")
);
--> statement-breakpoint
CREATE TABLE "pay_links" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"agreement_id" uuid NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"expires_at" timestamp (3) with time zone NOT NULL,
	"used_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE TABLE "payments" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"order_id" uuid NOT NULL,
	"line_id" uuid NOT NULL,
	"n" integer NOT NULL,
	"kind" text NOT NULL,
	"due" date NOT NULL,
	"list" bigint NOT NULL,
	"price" bigint NOT NULL,
	"discount" bigint NOT NULL,
	"tax" bigint NOT NULL,
	"pay" bigint NOT NULL,
	"state" text NOT NULL,
	"attempt_id" uuid,
	"collected_at" timestamp (3) with time zone,
	CONSTRAINT "payments_scheduled" UNIQUE("line_id","kind","n")
);
--> statement-breakpoint
CREATE TABLE "grants" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"person_id" uuid NOT NULL,
	"course_id" uuid NOT NULL,
	"order_id" uuid,
	"line_id" uuid,
	"note" text,
	"opens" date NOT NULL,
	"closes" date,
	"shuts" date,
	"created_at" timestamp (3) with time zone NOT NULL,
	"ended_at" timestamp (3) with time zone,
	"ended_note" text
);
--> statement-breakpoint
CREATE TABLE "password_links" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"person_id" uuid NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	"expires_at" timestamp (3) with time zone NOT NULL,
	"used_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE TABLE "people" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"mode" text NOT NULL,
	"email" text NOT NULL,
	"name" text NOT NULL,
	"password_hash" text,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "people_one_per_address" UNIQUE("mode","email")
);
--> statement-breakpoint
CREATE TABLE "creators" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"email" text NOT NULL,
	"name" text NOT NULL,
	"password_hash" text NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "creators_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "school" (
	"id" smallint PRIMARY KEY DEFAULT 1 NOT NULL,
	"name" text NOT NULL,
	"currency" text NOT NULL,
	"language" text NOT NULL,
	"leave_out_zeros" boolean DEFAULT false NOT NULL,
	"time_zone" text NOT NULL,
	"country" text NOT NULL,
	"tax_mode" text NOT NULL,
	"tax_rate" integer NOT NULL,
	"retry_after_days" integer[] DEFAULT '{1,3,7}' NOT NULL,
	"practice_ahead_ms" bigint DEFAULT 0 NOT NULL,
	"shop_mode" text DEFAULT 'practice' NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "school_only_one" CHECK ("school"."id" = 1)
);
--> statement-breakpoint
CREATE TABLE "sessions" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"creator_id" uuid,
	"person_id" uuid,
	"created_at" timestamp (3) with time zone NOT NULL,
	"expires_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "sessions_one_owner" CHECK (num_nonnulls("sessions"."creator_id", "sessions"."person_id") = 1)
);
--> statement-breakpoint
CREATE TABLE "sign_in_tries" (
	"key" text PRIMARY KEY NOT NULL,
	"failures" integer NOT NULL,
	"blocked_until" timestamp (3) with time zone,
	"last_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "offers" ADD CONSTRAINT "offers_course_id_courses_id_fk" FOREIGN KEY ("course_id") REFERENCES "public"."courses"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_published_by_creators_id_fk" FOREIGN KEY ("published_by") REFERENCES "public"."creators"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gateway_events" ADD CONSTRAINT "gateway_events_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_agreement_id_agreements_id_fk" FOREIGN KEY ("agreement_id") REFERENCES "public"."agreements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "agreements" ADD CONSTRAINT "agreements_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "attempts" ADD CONSTRAINT "attempts_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "attempts" ADD CONSTRAINT "attempts_agreement_id_agreements_id_fk" FOREIGN KEY ("agreement_id") REFERENCES "public"."agreements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "attempts" ADD CONSTRAINT "attempts_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "order_lines" ADD CONSTRAINT "order_lines_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "order_lines" ADD CONSTRAINT "order_lines_offer_id_offers_id_fk" FOREIGN KEY ("offer_id") REFERENCES "public"."offers"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "orders" ADD CONSTRAINT "orders_offer_id_offers_id_fk" FOREIGN KEY ("offer_id") REFERENCES "public"."offers"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pay_links" ADD CONSTRAINT "pay_links_agreement_id_agreements_id_fk" FOREIGN KEY ("agreement_id") REFERENCES "public"."agreements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "payments" ADD CONSTRAINT "payments_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "payments" ADD CONSTRAINT "payments_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "payments" ADD CONSTRAINT "payments_attempt_id_attempts_id_fk" FOREIGN KEY ("attempt_id") REFERENCES "public"."attempts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "grants" ADD CONSTRAINT "grants_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "grants" ADD CONSTRAINT "grants_course_id_courses_id_fk" FOREIGN KEY ("course_id") REFERENCES "public"."courses"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "grants" ADD CONSTRAINT "grants_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "grants" ADD CONSTRAINT "grants_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "password_links" ADD CONSTRAINT "password_links_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_creator_id_creators_id_fk" FOREIGN KEY ("creator_id") REFERENCES "public"."creators"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "offers_of_course" ON "offers" USING btree ("course_id");--> statement-breakpoint
CREATE UNIQUE INDEX "connections_one_per_adapter" ON "connections" USING btree ("mode","adapter") WHERE "connections"."disconnected_at" is null;--> statement-breakpoint
CREATE INDEX "gateway_events_newest" ON "gateway_events" USING btree ("received_at");--> statement-breakpoint
CREATE INDEX "messages_of_order" ON "messages" USING btree ("order_id");--> statement-breakpoint
CREATE INDEX "messages_of_person" ON "messages" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "agreements_to_collect" ON "agreements" USING btree ("mode","next_try") WHERE "agreements"."next_try" is not null;--> statement-breakpoint
CREATE INDEX "agreements_of_person" ON "agreements" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "agreements_of_order" ON "agreements" USING btree ("order_id");--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_open" ON "attempts" USING btree ("order_id",coalesce("agreement_id", "order_id")) WHERE "attempts"."state" in ('started', 'unknown', 'confirming');--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_collected" ON "attempts" USING btree ("order_id") WHERE "attempts"."state" = 'collected' and "attempts"."agreement_id" is null;--> statement-breakpoint
CREATE UNIQUE INDEX "attempts_one_collected_later" ON "attempts" USING btree ("agreement_id","from_n") WHERE "attempts"."state" = 'collected';--> statement-breakpoint
CREATE INDEX "attempts_of_order" ON "attempts" USING btree ("order_id");--> statement-breakpoint
CREATE INDEX "journal_of_order" ON "journal" USING btree ("order_id","id");--> statement-breakpoint
CREATE INDEX "journal_of_person" ON "journal" USING btree ("person_id","id");--> statement-breakpoint
CREATE UNIQUE INDEX "orders_one_unpaid" ON "orders" USING btree ("person_id","offer_id") WHERE "orders"."state" <> 'paid';--> statement-breakpoint
CREATE INDEX "orders_newest" ON "orders" USING btree ("mode","number" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "orders_by_state" ON "orders" USING btree ("mode","state","number" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "orders_of_person" ON "orders" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "pay_links_of_agreement" ON "pay_links" USING btree ("agreement_id");--> statement-breakpoint
CREATE INDEX "payments_of_order" ON "payments" USING btree ("order_id");--> statement-breakpoint
CREATE UNIQUE INDEX "grants_once_per_line" ON "grants" USING btree ("line_id","course_id");--> statement-breakpoint
CREATE UNIQUE INDEX "grants_once_by_hand" ON "grants" USING btree ("person_id","course_id") WHERE "grants"."line_id" is null and "grants"."ended_at" is null;--> statement-breakpoint
CREATE INDEX "grants_of_person" ON "grants" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "grants_of_order" ON "grants" USING btree ("order_id");