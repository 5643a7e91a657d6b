ALTER TABLE "grants" RENAME COLUMN "shuts" TO "suspended_from";
--> statement-breakpoint
ALTER TABLE "attempts" RENAME COLUMN "kept" TO "saved_method";
--> statement-breakpoint
ALTER TABLE "agreements" RENAME COLUMN "kept" TO "saved_method";
--> statement-breakpoint
ALTER TABLE "agreements" RENAME COLUMN "expiry_told" TO "expiry_notified";
--> statement-breakpoint
ALTER TABLE "agreements" RENAME COLUMN "renewal_told" TO "renewal_notified";
--> statement-breakpoint
ALTER TABLE "offers" RENAME COLUMN "is_trial" TO "is_test_purchase";
--> statement-breakpoint
ALTER TABLE "school" RENAME COLUMN "sold_telling" TO "sale_notices";
--> statement-breakpoint
ALTER TABLE "school" RENAME COLUMN "tells" TO "notifications";
--> statement-breakpoint
UPDATE "messages" SET "kind" = replace("kind", 'told-', 'creator-') WHERE "kind" LIKE 'told-%';
--> statement-breakpoint
UPDATE "school" SET "notifications" = coalesce((
  SELECT jsonb_object_agg(replace(key, 'told-', 'creator-'), value) FROM jsonb_each("notifications")), '{}');
--> statement-breakpoint
-- What is no longer expected is written off; sums leave it out as before.
CREATE OR REPLACE VIEW "money_parts" AS
SELECT p.id, p.order_id, p.line_id, p.mode, p.due AS day, p.offer_id, coalesce(c.adapter, '') AS adapter, p.state, p.pay
FROM payments p
JOIN orders o ON o.id = p.order_id AND o.state = 'paid'
LEFT JOIN agreements g ON g.line_id = p.line_id
LEFT JOIN attempts a ON a.id = p.attempt_id
LEFT JOIN connections c ON c.id = coalesce(a.connection_id, g.connection_id)
WHERE p.state NOT IN ('let-go', 'written-off') AND p.pay > 0;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_payments_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT b.mode, b.due, b.offer_id, coalesce((SELECT c.adapter FROM connections c WHERE c.id = coalesce(
      (SELECT a.connection_id FROM attempts a WHERE a.id = b.attempt_id),
      (SELECT g.connection_id FROM agreements g WHERE g.line_id = b.line_id))), ''),
    b.state, -sum(b.pay), -count(*)
  FROM rows_old b
  WHERE b.state NOT IN ('let-go', 'written-off') AND b.pay > 0
    AND (SELECT o.state FROM orders o WHERE o.id = b.order_id) = 'paid'
  GROUP BY 1, 2, 3, 4, 5;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
UPDATE "payments" SET "state" = 'written-off' WHERE "state" = 'let-go';
