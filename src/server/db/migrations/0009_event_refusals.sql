CREATE TABLE "event_refusals" (
	"connection_id" uuid NOT NULL,
	"day" date NOT NULL,
	"count" integer NOT NULL,
	"last_note" text NOT NULL,
	"last_at" timestamp (3) with time zone NOT NULL,
	CONSTRAINT "event_refusals_connection_id_day_pk" PRIMARY KEY("connection_id","day")
);
--> statement-breakpoint
DROP INDEX "journal_surplus";--> statement-breakpoint
ALTER TABLE "event_refusals" ADD CONSTRAINT "event_refusals_connection_id_connections_id_fk" FOREIGN KEY ("connection_id") REFERENCES "public"."connections"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "journal_for_attention" ON "journal" USING btree ("at") WHERE "journal"."what" in ('attempt-surplus', 'attempt-mismatch');