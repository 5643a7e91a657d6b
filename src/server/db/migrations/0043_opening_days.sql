ALTER TABLE "grants" ADD COLUMN "own_opens" date;--> statement-breakpoint
ALTER TABLE "order_lines" ADD COLUMN "opens_from" date;--> statement-breakpoint
UPDATE "order_lines" l SET "opens_from" = (coalesce(o."quote_input" -> 'document', o."quote_input") -> 'lines' -> l."position" -> 'offer' -> 'access' ->> 'from')::date FROM "orders" o WHERE o."id" = l."order_id";--> statement-breakpoint
UPDATE "grants" SET "own_opens" = "opens" WHERE "line_id" IS NOT NULL;
