CREATE TABLE "jobs" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"name" text NOT NULL,
	"data" jsonb NOT NULL,
	"once" text,
	"run_at" timestamp (3) with time zone DEFAULT now() NOT NULL,
	"tries" integer DEFAULT 0 NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"why" text,
	"created_at" timestamp (3) with time zone DEFAULT now() NOT NULL,
	"ended_at" timestamp (3) with time zone
);
--> statement-breakpoint
CREATE INDEX "jobs_due" ON "jobs" USING btree ("name","run_at") WHERE "jobs"."state" = 'waiting';--> statement-breakpoint
CREATE UNIQUE INDEX "jobs_once" ON "jobs" USING btree ("name","once") WHERE "jobs"."once" is not null;--> statement-breakpoint
CREATE INDEX "jobs_ended" ON "jobs" USING btree ("ended_at") WHERE "jobs"."ended_at" is not null;--> statement-breakpoint
-- What was queued before goes on; the tables in which it was are gone.
do $$ begin
  if to_regclass('pgboss.job') is not null then
    insert into jobs (id, name, data, run_at, tries)
      select id, name, coalesce(data, '{}'), start_after, retry_count from pgboss.job
      where state in ('created', 'retry', 'active');
    drop schema pgboss cascade;
  end if;
end $$;
