-- Money that moved, in double entry: only ever added to, and read by everything that says what was received.
CREATE SEQUENCE "public"."ledger_numbers" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1;--> statement-breakpoint
CREATE TABLE "ledger" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"transaction" bigint NOT NULL,
	"mode" text NOT NULL,
	"day" date NOT NULL,
	"at" timestamp (3) with time zone NOT NULL,
	"kind" text NOT NULL,
	"currency" text NOT NULL,
	"account" text NOT NULL,
	"amount" bigint NOT NULL,
	"method" text NOT NULL,
	"order_id" uuid,
	"line_id" uuid,
	"payment_id" uuid,
	"offer_id" uuid,
	"attempt_id" uuid,
	"subject_id" uuid,
	"note" text DEFAULT '' NOT NULL,
	CONSTRAINT "ledger_account" CHECK ("ledger"."account" ~ '^(assets:(bank|gateway:[a-z0-9-]+)|income:sales:[a-z0-9-]+|liabilities:(vat|prepaid|overpaid)|expenses:(disputes|fees:[a-z0-9-]+))$'),
	CONSTRAINT "ledger_amount" CHECK ("ledger"."amount" <> 0)
);
--> statement-breakpoint
CREATE TABLE "moved_deltas" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"mode" text NOT NULL,
	"day" date NOT NULL,
	"offer_id" uuid NOT NULL,
	"method" text NOT NULL,
	"account" text NOT NULL,
	"currency" text NOT NULL,
	"is_back" boolean NOT NULL,
	"amount" bigint NOT NULL
);
--> statement-breakpoint
CREATE TABLE "moved_sums" (
	"mode" text NOT NULL,
	"day" date NOT NULL,
	"offer_id" uuid NOT NULL,
	"method" text NOT NULL,
	"account" text NOT NULL,
	"currency" text NOT NULL,
	"is_back" boolean NOT NULL,
	"amount" bigint NOT NULL,
	CONSTRAINT "moved_sums_mode_day_offer_id_method_account_currency_is_back_pk" PRIMARY KEY("mode","day","offer_id","method","account","currency","is_back")
);
--> statement-breakpoint
ALTER TABLE "products" ADD COLUMN "book_name" text;
--> statement-breakpoint
UPDATE "products" SET "book_name" = c."slug" FROM "courses" c WHERE c."id" = "products"."id";
--> statement-breakpoint
ALTER TABLE "products" ALTER COLUMN "book_name" SET NOT NULL;
--> statement-breakpoint
ALTER TABLE "products" ADD CONSTRAINT "products_bookName_unique" UNIQUE("book_name");
--> statement-breakpoint
ALTER TABLE "ledger" ADD CONSTRAINT "ledger_order_id_orders_id_fk" FOREIGN KEY ("order_id") REFERENCES "public"."orders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "ledger_by_day" ON "ledger" USING btree ("mode","day","transaction");--> statement-breakpoint
CREATE INDEX "ledger_of_offer" ON "ledger" USING btree ("mode","offer_id","day","transaction");--> statement-breakpoint
CREATE INDEX "ledger_of_transaction" ON "ledger" USING btree ("transaction");--> statement-breakpoint
CREATE INDEX "ledger_of_order" ON "ledger" USING btree ("order_id");--> statement-breakpoint
CREATE INDEX "ledger_of_payment" ON "ledger" USING btree ("payment_id");--> statement-breakpoint
-- A transaction comes whole, by one statement, and adds up to nothing; what it adds to the sums is written with it.
CREATE FUNCTION ledger_written() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF EXISTS (SELECT FROM rows_new GROUP BY transaction HAVING sum(amount) <> 0
      OR min(mode) <> max(mode) OR min(day) <> max(day) OR min(kind) <> max(kind) OR min(currency) <> max(currency)) THEN
    RAISE EXCEPTION 'A transaction of the ledger does not balance.' USING ERRCODE = 'check_violation';
  END IF;
  IF (SELECT count(*) FROM ledger l WHERE l.transaction = ANY (ARRAY(SELECT transaction FROM rows_new)))
      <> (SELECT count(*) FROM rows_new) THEN
    RAISE EXCEPTION 'A transaction of the ledger is never added to.' USING ERRCODE = 'check_violation';
  END IF;
  INSERT INTO moved_deltas (mode, day, offer_id, method, account, currency, is_back, amount)
  SELECT mode, day, coalesce(offer_id, '00000000-0000-0000-0000-000000000000'), method, account, currency,
    kind IN ('refund', 'dispute'), sum(amount)
  FROM rows_new GROUP BY 1, 2, 3, 4, 5, 6, 7;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE TRIGGER ledger_written AFTER INSERT ON ledger REFERENCING NEW TABLE AS rows_new
  FOR EACH STATEMENT EXECUTE FUNCTION ledger_written();
--> statement-breakpoint
-- Practice alone can be cleared, as a whole, by whoever says so in the transaction.
CREATE FUNCTION ledger_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'DELETE' THEN
    IF OLD.mode = 'practice' AND current_setting('ledger.clears', true) = 'practice' THEN RETURN OLD; END IF;
  END IF;
  RAISE EXCEPTION 'What stands in the ledger is never changed.' USING ERRCODE = 'restrict_violation';
END $$;
--> statement-breakpoint
CREATE TRIGGER ledger_stays BEFORE UPDATE OR DELETE ON ledger FOR EACH ROW EXECUTE FUNCTION ledger_stays();
--> statement-breakpoint
CREATE TRIGGER ledger_stays_whole BEFORE TRUNCATE ON ledger FOR EACH STATEMENT EXECUTE FUNCTION ledger_stays();
--> statement-breakpoint
-- What is expected stays with the payments, by their due days; fees and what was given back are the ledger's.
DROP TRIGGER money_refund_booked ON refunds;
--> statement-breakpoint
DROP TRIGGER money_refund_settled ON refunds;
--> statement-breakpoint
DROP FUNCTION money_refunded;
--> statement-breakpoint
DROP VIEW "money_parts";
--> statement-breakpoint
ALTER TABLE "money_deltas" DROP COLUMN "fee";--> statement-breakpoint
ALTER TABLE "money_deltas" DROP COLUMN "refunded";--> statement-breakpoint
ALTER TABLE "money_sums" DROP COLUMN "fee";--> statement-breakpoint
ALTER TABLE "money_sums" DROP COLUMN "refunded";
--> statement-breakpoint
CREATE VIEW "money_parts" AS
SELECT p.id, p.order_id, p.line_id, p.mode, p.due AS day, p.offer_id, coalesce(c.adapter, '') AS adapter, p.state, p.pay
FROM payments p
JOIN orders o ON o.id = p.order_id AND o.state = 'paid'
LEFT JOIN agreements g ON g.line_id = p.line_id
LEFT JOIN attempts a ON a.id = p.attempt_id
LEFT JOIN connections c ON c.id = coalesce(a.connection_id, g.connection_id)
WHERE p.state <> 'let-go' AND p.pay > 0;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_payments_added() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_payments_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT b.mode, b.due, b.offer_id, coalesce((SELECT c.adapter FROM connections c WHERE c.id = coalesce(
      (SELECT a.connection_id FROM attempts a WHERE a.id = b.attempt_id),
      (SELECT g.connection_id FROM agreements g WHERE g.line_id = b.line_id))), ''),
    b.state, -sum(b.pay), -count(*)
  FROM rows_old b
  WHERE b.state <> 'let-go' AND b.pay > 0 AND (SELECT o.state FROM orders o WHERE o.id = b.order_id) = 'paid'
  GROUP BY 1, 2, 3, 4, 5;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_order_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE sign int := CASE WHEN NEW.state = 'paid' THEN 1 ELSE -1 END;
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay) * sign, count(*) * sign
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
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, n)
  SELECT m.mode, m.day, m.offer_id, w.adapter, m.state, sum(m.pay) * w.sign, count(*) * w.sign
  FROM money_parts m CROSS JOIN (VALUES (before_way, -1), (after_way, 1)) AS w (adapter, sign)
  WHERE m.line_id = NEW.line_id AND m.state = 'due' GROUP BY m.mode, m.day, m.offer_id, w.adapter, m.state, w.sign;
  RETURN NULL;
END $$;
--> statement-breakpoint
-- What moved before there was a ledger: what was collected, parts of transfers, and what went back. An amount is laid
-- over the payments of its attempt in their order.
CREATE TEMPORARY TABLE booked AS
SELECT p.id AS payment_id, p.line_id, p.offer_id, p.order_id, p.mode, o.currency, pr.book_name AS product, p.pay, p.tax, p.fee,
  a.id AS attempt_id, c.adapter AS method, o.duplicate_of IS NOT NULL AS is_twice, p.state = 'collected' AS is_paid,
  (p.collected_at AT TIME ZONE s.time_zone)::date AS day, coalesce(p.collected_at, a.started_at) AS at,
  sum(p.pay) OVER (PARTITION BY a.id ORDER BY p.id) - p.pay AS before,
  sum(p.pay) OVER (PARTITION BY a.id, p.line_id ORDER BY p.id) - p.pay AS before_in_line
FROM payments p
JOIN orders o ON o.id = p.order_id
JOIN order_lines l ON l.id = p.line_id
JOIN products pr ON pr.id = l.product_id
JOIN attempts a ON a.id = p.attempt_id OR (a.order_id = p.order_id AND a.state = 'awaiting' AND a.agreement_id IS NULL
  AND p.state = 'due' AND p.due = (o.quote->>'purchaseDay')::date)
JOIN connections c ON c.id = a.connection_id
CROSS JOIN school s
WHERE p.pay > 0;
--> statement-breakpoint
CREATE TEMPORARY TABLE marks AS
SELECT t.*, sum(amount) OVER (PARTITION BY attempt_id, is_surplus ORDER BY day, created_at, id) - amount AS before,
  count(*) OVER (PARTITION BY attempt_id, is_surplus) AS marks, nextval('ledger_numbers') AS n
FROM transfers t WHERE taken_back_at IS NULL;
--> statement-breakpoint
INSERT INTO ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id, subject_id)
SELECT a.n, b.mode, coalesce(m.day, a.day, b.day), b.at, CASE WHEN m.id IS NOT NULL THEN 'transfer' WHEN a.day IS NOT NULL THEN 'completion' ELSE 'payment' END,
  b.currency, x.account, x.amount, b.method, b.order_id, b.line_id, b.payment_id, b.offer_id, b.attempt_id,
  coalesce(m.id, CASE WHEN a.day IS NOT NULL THEN b.attempt_id END)
FROM booked b
JOIN (SELECT attempt_id, nextval('ledger_numbers') AS n, max(day) AS day, max(marks) AS marks FROM (
    SELECT DISTINCT b.attempt_id, m.day, m.marks FROM booked b LEFT JOIN marks m ON m.attempt_id = b.attempt_id AND NOT m.is_surplus
    WHERE b.is_paid ORDER BY 1) k GROUP BY attempt_id) a USING (attempt_id)
LEFT JOIN marks m ON m.attempt_id = b.attempt_id AND NOT m.is_surplus AND a.marks = 1
CROSS JOIN LATERAL (VALUES
  (CASE WHEN b.method <> 'transfer' THEN 'assets:gateway:' || b.method WHEN a.marks > 1 THEN 'liabilities:prepaid' ELSE 'assets:bank' END, b.pay - b.fee),
  ('expenses:fees:' || b.method, b.fee),
  (CASE WHEN b.is_twice THEN 'liabilities:overpaid' ELSE 'income:sales:' || b.product END, CASE WHEN b.is_twice THEN -b.pay ELSE b.tax - b.pay END),
  ('liabilities:vat', CASE WHEN b.is_twice THEN 0 ELSE -b.tax END)) AS x (account, amount)
WHERE b.is_paid AND x.amount <> 0;
--> statement-breakpoint
INSERT INTO ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id, subject_id, note)
SELECT m.n, b.mode, m.day, m.created_at, CASE WHEN m.is_surplus THEN 'surplus' ELSE 'transfer' END, b.currency, x.account, x.sign * p.part,
  b.method, b.order_id, b.line_id, b.payment_id, b.offer_id, b.attempt_id, m.id, m.note
FROM marks m JOIN booked b ON b.attempt_id = m.attempt_id
CROSS JOIN LATERAL (SELECT CASE WHEN m.is_surplus THEN CASE WHEN b.before = 0 THEN m.amount ELSE 0 END
  ELSE least(greatest(m.before + m.amount - b.before, 0), b.pay) - least(greatest(m.before - b.before, 0), b.pay) END AS part) p
CROSS JOIN LATERAL (VALUES ('assets:bank', 1),
  (CASE WHEN m.is_surplus THEN 'liabilities:overpaid' ELSE 'liabilities:prepaid' END, -1)) AS x (account, sign)
WHERE p.part <> 0 AND (m.is_surplus OR m.marks > 1 OR NOT b.is_paid);
--> statement-breakpoint
INSERT INTO ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id, subject_id)
SELECT m.n, b.mode, m.given_back_on, m.created_at, 'refund', b.currency, x.account, x.amount,
  b.method, b.order_id, b.line_id, b.payment_id, b.offer_id, b.attempt_id, m.id
FROM (SELECT id, attempt_id, given_back_on, created_at, amount, nextval('ledger_numbers') AS n FROM marks WHERE given_back_on IS NOT NULL) m
JOIN booked b ON b.attempt_id = m.attempt_id AND b.before = 0
CROSS JOIN LATERAL (VALUES ('assets:bank', -m.amount), ('liabilities:overpaid', m.amount)) AS x (account, amount);
--> statement-breakpoint
INSERT INTO ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id, subject_id)
SELECT k.n, b.mode, r.day, coalesce(r.settled_at, r.created_at), CASE WHEN r.key LIKE 'dispute %' THEN 'dispute' ELSE 'refund' END, b.currency,
  x.account, x.amount, b.method, b.order_id, b.line_id, b.payment_id, b.offer_id, b.attempt_id, r.id
FROM (SELECT *, sum(amount) OVER (PARTITION BY attempt_id, line_id ORDER BY created_at, id) AS upto FROM refunds WHERE state = 'refunded') r
JOIN (SELECT key, nextval('ledger_numbers') AS n FROM (SELECT DISTINCT key FROM refunds WHERE state = 'refunded' ORDER BY 1) d) k ON k.key = r.key
JOIN booked b ON b.attempt_id = r.attempt_id AND b.line_id = r.line_id
CROSS JOIN LATERAL (SELECT least(greatest(r.upto - b.before_in_line, 0), b.pay) AS after, least(greatest(r.upto - r.amount - b.before_in_line, 0), b.pay) AS before) s
CROSS JOIN LATERAL (SELECT s.after - s.before AS part, CASE WHEN b.is_twice THEN 0
  ELSE round(b.tax::numeric * s.after / b.pay) - round(b.tax::numeric * s.before / b.pay) END::bigint AS tax) t
CROSS JOIN LATERAL (VALUES
  (CASE WHEN r.is_outside OR b.method = 'transfer' THEN 'assets:bank' ELSE 'assets:gateway:' || b.method END, -t.part),
  (CASE WHEN b.is_twice THEN 'liabilities:overpaid' WHEN r.key LIKE 'dispute %' THEN 'expenses:disputes' ELSE 'income:sales:' || b.product END, t.part - t.tax),
  ('liabilities:vat', t.tax)) AS x (account, amount)
WHERE x.amount <> 0;
--> statement-breakpoint
DROP TABLE booked, marks;
