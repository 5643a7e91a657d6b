CREATE EXTENSION IF NOT EXISTS unaccent;--> statement-breakpoint
-- Letters without case and accents, for the search; the dictionary is named, so that it is always the same one.
CREATE FUNCTION plain_text(value text) RETURNS text LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT lower(public.unaccent('public.unaccent'::regdictionary, value)) $$;--> statement-breakpoint
DROP INDEX "orders_found";--> statement-breakpoint
DROP INDEX "people_found";--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "search_text" text GENERATED ALWAYS AS (plain_text(name || ' ' || email)) STORED NOT NULL;--> statement-breakpoint
CREATE INDEX "attempts_of_amount" ON "attempts" USING btree ("amount");--> statement-breakpoint
CREATE INDEX "attempts_referred" ON "attempts" USING btree (lower("reference"));--> statement-breakpoint
CREATE INDEX "refunds_of_amount" ON "refunds" USING btree ("amount");--> statement-breakpoint
CREATE INDEX "refunds_referred" ON "refunds" USING btree (lower("reference"));--> statement-breakpoint
CREATE INDEX "transfers_of_amount" ON "transfers" USING btree ("amount");--> statement-breakpoint
CREATE INDEX "orders_found" ON "orders" USING gin (plain_text("search_text") gin_trgm_ops);--> statement-breakpoint
CREATE INDEX "people_found" ON "people" USING gin ("search_text" gin_trgm_ops);