CREATE EXTENSION IF NOT EXISTS pg_trgm;--> statement-breakpoint
CREATE TABLE "money_deltas" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"mode" text NOT NULL,
	"month" text NOT NULL,
	"offer_id" uuid NOT NULL,
	"adapter" text NOT NULL,
	"state" text NOT NULL,
	"pay" bigint NOT NULL,
	"fee" bigint NOT NULL,
	"refunded" bigint NOT NULL,
	"n" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "money_sums" (
	"mode" text NOT NULL,
	"month" text NOT NULL,
	"offer_id" uuid NOT NULL,
	"adapter" text NOT NULL,
	"state" text NOT NULL,
	"pay" bigint NOT NULL,
	"fee" bigint NOT NULL,
	"refunded" bigint NOT NULL,
	"n" integer NOT NULL,
	CONSTRAINT "money_sums_mode_month_offer_id_adapter_state_pk" PRIMARY KEY("mode","month","offer_id","adapter","state"),
	CONSTRAINT "money_sums_month" CHECK ("money_sums"."month" ~ '^[0-9]{4}-[0-9]{2}$')
);
--> statement-breakpoint
ALTER TABLE "payments" ADD COLUMN "mode" text;--> statement-breakpoint
UPDATE "payments" SET "mode" = "orders"."mode" FROM "orders" WHERE "orders"."id" = "payments"."order_id";--> statement-breakpoint
ALTER TABLE "payments" ALTER COLUMN "mode" SET NOT NULL;--> statement-breakpoint
CREATE INDEX "order_lines_of_offer" ON "order_lines" USING btree ("offer_id");--> statement-breakpoint
CREATE INDEX "orders_found" ON "orders" USING gin ("search_text" gin_trgm_ops);--> statement-breakpoint
CREATE INDEX "payments_of_attempt" ON "payments" USING btree ("attempt_id") WHERE "payments"."attempt_id" is not null;--> statement-breakpoint
CREATE INDEX "payments_by_due" ON "payments" USING btree ("mode","due","order_id","id");--> statement-breakpoint
CREATE INDEX "people_newest" ON "people" USING btree ("mode","created_at" DESC NULLS LAST,"id" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "people_found" ON "people" USING gin ((lower("name") || ' ' || "email") gin_trgm_ops);
--> statement-breakpoint
-- What one payment adds to the sums, as it stands; nothing where it is not expected: of an order that is not paid, of
-- nothing, or let go. The fee of an attempt and what was given back of it stand at its first payment.
CREATE VIEW "money_parts" AS
SELECT p.id, p.order_id, p.line_id, p.mode, to_char(p.due, 'YYYY-MM') AS month, l.offer_id,
  coalesce(c.adapter, '') AS adapter, p.state, p.pay,
  CASE WHEN f.id = p.id THEN coalesce(a.fee, 0) ELSE 0 END AS fee,
  CASE WHEN fl.id = p.id THEN coalesce(r.amount, 0) ELSE 0 END AS refunded
FROM payments p
JOIN orders o ON o.id = p.order_id AND o.state = 'paid'
JOIN order_lines l ON l.id = p.line_id
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
-- Payments that came, changed or went: minus what they were, plus what they are. What they were had no attempt, or is
-- taken out with its order; so no fee goes with it.
CREATE FUNCTION money_payments_added() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.month, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
  FROM rows_new n JOIN money_parts m ON m.id = n.id GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE FUNCTION money_payments_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT b.mode, to_char(b.due, 'YYYY-MM'), l.offer_id, coalesce(c.adapter, ''), b.state, -sum(b.pay), 0, 0, -count(*)
  FROM rows_old b
  JOIN orders o ON o.id = b.order_id AND o.state = 'paid'
  JOIN order_lines l ON l.id = b.line_id
  LEFT JOIN agreements g ON g.line_id = b.line_id
  LEFT JOIN attempts a ON a.id = b.attempt_id
  LEFT JOIN connections c ON c.id = coalesce(a.connection_id, g.connection_id)
  WHERE b.state <> 'let-go' AND b.pay > 0 GROUP BY 1, 2, 3, 4, 5;
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.month, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
  FROM rows_new n JOIN money_parts m ON m.id = n.id GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE TRIGGER money_payments_added AFTER INSERT ON payments REFERENCING NEW TABLE AS rows_new
  FOR EACH STATEMENT EXECUTE FUNCTION money_payments_added();
--> statement-breakpoint
CREATE TRIGGER money_payments_changed AFTER UPDATE ON payments REFERENCING OLD TABLE AS rows_old NEW TABLE AS rows_new
  FOR EACH STATEMENT EXECUTE FUNCTION money_payments_changed();
--> statement-breakpoint
-- An order that becomes paid brings its payments into the sums; one that is not paid after all takes them out.
CREATE FUNCTION money_order_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF NEW.state = 'paid' THEN
    INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
    SELECT m.mode, m.month, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
    FROM money_parts m WHERE m.order_id = NEW.id GROUP BY 1, 2, 3, 4, 5;
    RETURN NEW;
  END IF;
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.month, m.offer_id, m.adapter, m.state, -sum(m.pay), -sum(m.fee), -sum(m.refunded), -count(*)
  FROM money_parts m WHERE m.order_id = NEW.id GROUP BY 1, 2, 3, 4, 5;
  RETURN NEW;
END $$;
--> statement-breakpoint
CREATE TRIGGER money_order_paid AFTER UPDATE OF state ON orders
  FOR EACH ROW WHEN (NEW.state = 'paid' AND OLD.state <> 'paid') EXECUTE FUNCTION money_order_changed();
--> statement-breakpoint
-- Before: its payments are still those of a paid order.
CREATE TRIGGER money_order_reopened BEFORE UPDATE OF state ON orders
  FOR EACH ROW WHEN (OLD.state = 'paid' AND NEW.state <> 'paid') EXECUTE FUNCTION money_order_changed();
--> statement-breakpoint
-- An agreement says by which way its payments to come are expected.
CREATE FUNCTION money_way_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE before_way text := '';
DECLARE after_way text;
BEGIN
  IF TG_OP = 'UPDATE' THEN SELECT adapter INTO before_way FROM connections WHERE id = OLD.connection_id; END IF;
  SELECT adapter INTO after_way FROM connections WHERE id = NEW.connection_id;
  IF before_way = after_way THEN RETURN NULL; END IF;
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.month, m.offer_id, w.adapter, m.state, sum(m.pay) * w.sign, 0, 0, count(*) * w.sign
  FROM money_parts m CROSS JOIN (VALUES (before_way, -1), (after_way, 1)) AS w (adapter, sign)
  WHERE m.line_id = NEW.line_id AND m.state = 'due' GROUP BY m.mode, m.month, m.offer_id, w.adapter, m.state, w.sign;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE TRIGGER money_way_begun AFTER INSERT ON agreements FOR EACH ROW EXECUTE FUNCTION money_way_changed();
--> statement-breakpoint
CREATE TRIGGER money_way_changed AFTER UPDATE OF connection_id ON agreements
  FOR EACH ROW WHEN (OLD.connection_id <> NEW.connection_id) EXECUTE FUNCTION money_way_changed();
--> statement-breakpoint
-- Money given back stands with the payment that it was given back of.
CREATE FUNCTION money_refunded() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.month, m.offer_id, m.adapter, m.state, 0, 0, NEW.amount, 0
  FROM payments q JOIN money_parts m ON m.id = q.id
  WHERE q.attempt_id = NEW.attempt_id AND q.line_id = NEW.line_id ORDER BY q.kind, q.n LIMIT 1;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE TRIGGER money_refund_booked AFTER INSERT ON refunds
  FOR EACH ROW WHEN (NEW.state = 'refunded') EXECUTE FUNCTION money_refunded();
--> statement-breakpoint
CREATE TRIGGER money_refund_settled AFTER UPDATE OF state ON refunds
  FOR EACH ROW WHEN (NEW.state = 'refunded' AND OLD.state <> 'refunded') EXECUTE FUNCTION money_refunded();
--> statement-breakpoint
-- What there is already.
INSERT INTO money_sums (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
SELECT mode, month, offer_id, adapter, state, sum(pay), sum(fee), sum(refunded), count(*) FROM money_parts GROUP BY 1, 2, 3, 4, 5;
