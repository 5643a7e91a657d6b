-- The sums are kept by day, so that they can be told for any span; they are counted anew from the payments.
DROP VIEW "money_parts";--> statement-breakpoint
DELETE FROM "money_deltas";--> statement-breakpoint
DELETE FROM "money_sums";--> statement-breakpoint
ALTER TABLE "money_sums" DROP CONSTRAINT "money_sums_month";--> statement-breakpoint
ALTER TABLE "money_sums" DROP CONSTRAINT "money_sums_mode_month_offer_id_adapter_state_pk";--> statement-breakpoint
ALTER TABLE "money_deltas" ADD COLUMN "day" date NOT NULL;--> statement-breakpoint
ALTER TABLE "money_sums" ADD COLUMN "day" date NOT NULL;--> statement-breakpoint
ALTER TABLE "money_deltas" DROP COLUMN "month";--> statement-breakpoint
ALTER TABLE "money_sums" DROP COLUMN "month";--> statement-breakpoint
ALTER TABLE "money_sums" ADD CONSTRAINT "money_sums_mode_day_offer_id_adapter_state_pk" PRIMARY KEY("mode","day","offer_id","adapter","state");--> statement-breakpoint
-- What one payment adds to the sums, as it stands; nothing where it is not expected: of an order that is not paid, of
-- nothing, or let go. The fee of an attempt and what was given back of it stand at its first payment.
CREATE VIEW "money_parts" AS
SELECT p.id, p.order_id, p.line_id, p.mode, p.due AS day, p.offer_id,
  coalesce(c.adapter, '') AS adapter, p.state, p.pay,
  CASE WHEN f.id = p.id THEN coalesce(a.fee, 0) ELSE 0 END AS fee,
  CASE WHEN fl.id = p.id THEN coalesce(r.amount, 0) ELSE 0 END AS refunded
FROM payments p
JOIN orders o ON o.id = p.order_id AND o.state = 'paid'
LEFT JOIN agreements g ON g.line_id = p.line_id
LEFT JOIN attempts a ON a.id = p.attempt_id
LEFT JOIN connections c ON c.id = coalesce(a.connection_id, g.connection_id)
LEFT JOIN LATERAL (
  SELECT q.id FROM payments q WHERE q.attempt_id = p.attempt_id ORDER BY q.line_id, q.kind, q.n LIMIT 1) f ON true
LEFT JOIN LATERAL (
  SELECT q.id FROM payments q WHERE q.attempt_id = p.attempt_id AND q.line_id = p.line_id ORDER BY q.kind, q.n LIMIT 1) fl ON true
LEFT JOIN LATERAL (
  SELECT sum(r.amount) AS amount FROM refunds r
  WHERE r.attempt_id = p.attempt_id AND r.line_id = p.line_id AND r.state = 'refunded') r ON true
WHERE p.state <> 'let-go' AND p.pay > 0;
--> statement-breakpoint
-- Payments that came, changed or went are looked up by their ids, one by one: PostgreSQL knows nothing of how few rows
-- a trigger is told of, and would read whole tables for them.
CREATE OR REPLACE FUNCTION money_payments_added() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_payments_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT b.mode, b.due, b.offer_id, coalesce((SELECT c.adapter FROM connections c WHERE c.id = coalesce(
      (SELECT a.connection_id FROM attempts a WHERE a.id = b.attempt_id),
      (SELECT g.connection_id FROM agreements g WHERE g.line_id = b.line_id))), ''),
    b.state, -sum(b.pay), 0, 0, -count(*)
  FROM rows_old b
  WHERE b.state <> 'let-go' AND b.pay > 0 AND (SELECT o.state FROM orders o WHERE o.id = b.order_id) = 'paid'
  GROUP BY 1, 2, 3, 4, 5;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_order_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF NEW.state = 'paid' THEN
    INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
    SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
    FROM money_parts m WHERE m.order_id = NEW.id GROUP BY 1, 2, 3, 4, 5;
    RETURN NEW;
  END IF;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, -sum(m.pay), -sum(m.fee), -sum(m.refunded), -count(*)
  FROM money_parts m WHERE m.order_id = NEW.id GROUP BY 1, 2, 3, 4, 5;
  RETURN NEW;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_way_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE before_way text := '';
DECLARE after_way text;
BEGIN
  IF TG_OP = 'UPDATE' THEN SELECT adapter INTO before_way FROM connections WHERE id = OLD.connection_id; END IF;
  SELECT adapter INTO after_way FROM connections WHERE id = NEW.connection_id;
  IF before_way = after_way THEN RETURN NULL; END IF;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, w.adapter, m.state, sum(m.pay) * w.sign, 0, 0, count(*) * w.sign
  FROM money_parts m CROSS JOIN (VALUES (before_way, -1), (after_way, 1)) AS w (adapter, sign)
  WHERE m.line_id = NEW.line_id AND m.state = 'due' GROUP BY m.mode, m.day, m.offer_id, w.adapter, m.state, w.sign;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_refunded() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, 0, 0, NEW.amount, 0
  FROM money_parts m WHERE m.id = (
    SELECT q.id FROM payments q WHERE q.attempt_id = NEW.attempt_id AND q.line_id = NEW.line_id
    ORDER BY q.kind, q.n LIMIT 1);
  RETURN NULL;
END $$;
--> statement-breakpoint
INSERT INTO money_sums (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
SELECT mode, day, offer_id, adapter, state, sum(pay), sum(fee), sum(refunded), count(*) FROM money_parts GROUP BY 1, 2, 3, 4, 5;
