-- What is sold is a product, and an order is true by its lines: each has its own offer, product and courses.
CREATE TABLE "product_courses" (
	"product_id" uuid NOT NULL,
	"course_id" uuid NOT NULL,
	"position" integer NOT NULL,
	"weight" bigint NOT NULL,
	CONSTRAINT "product_courses_product_id_course_id_pk" PRIMARY KEY("product_id","course_id")
);
--> statement-breakpoint
CREATE TABLE "products" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"kind" text NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "line_courses" (
	"line_id" uuid NOT NULL,
	"course_id" uuid NOT NULL,
	"position" integer NOT NULL,
	"title" text NOT NULL,
	"weight" bigint NOT NULL,
	CONSTRAINT "line_courses_line_id_course_id_pk" PRIMARY KEY("line_id","course_id")
);
--> statement-breakpoint
INSERT INTO "products" ("id", "kind", "created_at") SELECT "id", 'course', "created_at" FROM "courses";
--> statement-breakpoint
INSERT INTO "product_courses" ("product_id", "course_id", "position", "weight") SELECT "id", "id", 0, 1 FROM "courses";
--> statement-breakpoint
ALTER TABLE "offers" DROP CONSTRAINT "offers_course_id_courses_id_fk";
--> statement-breakpoint
ALTER TABLE "orders" DROP CONSTRAINT "orders_offer_id_offers_id_fk";
--> statement-breakpoint
DROP INDEX "orders_one_unpaid_per_browser";
--> statement-breakpoint
ALTER TABLE "courses" ALTER COLUMN "id" DROP DEFAULT;
--> statement-breakpoint
ALTER TABLE "offers" RENAME COLUMN "course_id" TO "product_id";
--> statement-breakpoint
ALTER INDEX "offers_of_course" RENAME TO "offers_of_product";
--> statement-breakpoint
ALTER TABLE "order_lines" RENAME COLUMN "course_title" TO "title";
--> statement-breakpoint
ALTER TABLE "order_lines" ADD COLUMN "product_id" uuid;
--> statement-breakpoint
UPDATE "order_lines" SET "product_id" = o."product_id" FROM "offers" o WHERE o."id" = "order_lines"."offer_id";
--> statement-breakpoint
ALTER TABLE "order_lines" ALTER COLUMN "product_id" SET NOT NULL;
--> statement-breakpoint
INSERT INTO "line_courses" ("line_id", "course_id", "position", "title", "weight")
SELECT l."id", l."product_id", 0, l."title", 1 FROM "order_lines" l;
--> statement-breakpoint
ALTER TABLE "orders" ADD COLUMN "basket" text;
--> statement-breakpoint
-- Named as the product names it; of older unpaid orders for one thing only the newest is gone on with.
UPDATE "orders" SET "basket" = named."basket" FROM (
  SELECT o."id",
    left(translate(encode(sha256(convert_to('basket' || E'\n' || l."product_id"::text, 'UTF8')), 'base64'), '+/', '-_'), 36)
      || CASE WHEN o."state" <> 'paid' AND row_number() OVER (
        PARTITION BY o."state" <> 'paid', o."person_id", l."product_id", o."browser_hash" ORDER BY o."number" DESC) > 1
      THEN ' ' || o."id"::text ELSE '' END AS "basket"
  FROM "orders" o JOIN "order_lines" l ON l."order_id" = o."id" AND l."position" = 0) named
WHERE named."id" = "orders"."id";
--> statement-breakpoint
ALTER TABLE "orders" ALTER COLUMN "basket" SET NOT NULL;
--> statement-breakpoint
ALTER TABLE "orders" DROP COLUMN "offer_id";
--> statement-breakpoint
ALTER TABLE "product_courses" ADD CONSTRAINT "product_courses_product_id_products_id_fk" FOREIGN KEY ("product_id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE "product_courses" ADD CONSTRAINT "product_courses_course_id_courses_id_fk" FOREIGN KEY ("course_id") REFERENCES "public"."courses"("id") ON DELETE cascade ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE "line_courses" ADD CONSTRAINT "line_courses_line_id_order_lines_id_fk" FOREIGN KEY ("line_id") REFERENCES "public"."order_lines"("id") ON DELETE cascade ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE "line_courses" ADD CONSTRAINT "line_courses_course_id_courses_id_fk" FOREIGN KEY ("course_id") REFERENCES "public"."courses"("id") ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
CREATE INDEX "product_courses_of_course" ON "product_courses" USING btree ("course_id");
--> statement-breakpoint
ALTER TABLE "courses" ADD CONSTRAINT "courses_id_products_id_fk" FOREIGN KEY ("id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE "offers" ADD CONSTRAINT "offers_product_id_products_id_fk" FOREIGN KEY ("product_id") REFERENCES "public"."products"("id") ON DELETE cascade ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE "order_lines" ADD CONSTRAINT "order_lines_product_id_products_id_fk" FOREIGN KEY ("product_id") REFERENCES "public"."products"("id") ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
CREATE UNIQUE INDEX "orders_one_unpaid_per_browser" ON "orders" USING btree ("person_id","basket","browser_hash") WHERE "orders"."state" <> 'paid';
--> statement-breakpoint
-- A fee is split over the payments that it was taken of, so that it is true by line.
ALTER TABLE "payments" ADD COLUMN "fee" bigint DEFAULT 0 NOT NULL;
--> statement-breakpoint
ALTER TABLE "payments" DISABLE TRIGGER USER;
--> statement-breakpoint
UPDATE "payments" SET "fee" = firsts."fee" FROM (
  SELECT DISTINCT ON (p."attempt_id") p."id", a."fee" FROM "payments" p
  JOIN "attempts" a ON a."id" = p."attempt_id" WHERE a."fee" > 0 ORDER BY p."attempt_id", p."line_id", p."kind", p."n") firsts
WHERE firsts."id" = "payments"."id";
--> statement-breakpoint
ALTER TABLE "payments" ENABLE TRIGGER USER;
--> statement-breakpoint
DROP VIEW "money_parts";
--> statement-breakpoint
CREATE VIEW "money_parts" AS
SELECT p.id, p.order_id, p.line_id, p.mode, p.due AS day, p.offer_id,
  coalesce(c.adapter, '') AS adapter, p.state, p.pay, p.fee,
  CASE WHEN fl.id = p.id THEN coalesce(r.amount, 0) ELSE 0 END AS refunded
FROM payments p
JOIN orders o ON o.id = p.order_id AND o.state = 'paid'
LEFT JOIN agreements g ON g.line_id = p.line_id
LEFT JOIN attempts a ON a.id = p.attempt_id
LEFT JOIN connections c ON c.id = coalesce(a.connection_id, g.connection_id)
LEFT JOIN LATERAL (
  SELECT q.id FROM payments q WHERE q.attempt_id = p.attempt_id AND q.line_id = p.line_id ORDER BY q.kind, q.n LIMIT 1) fl ON true
LEFT JOIN LATERAL (
  SELECT sum(r.amount) AS amount FROM refunds r
  WHERE r.attempt_id = p.attempt_id AND r.line_id = p.line_id AND r.state = 'refunded') r ON true
WHERE p.state <> 'let-go' AND p.pay > 0;
--> statement-breakpoint
CREATE OR REPLACE FUNCTION money_payments_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT b.mode, b.due, b.offer_id, coalesce((SELECT c.adapter FROM connections c WHERE c.id = coalesce(
      (SELECT a.connection_id FROM attempts a WHERE a.id = b.attempt_id),
      (SELECT g.connection_id FROM agreements g WHERE g.line_id = b.line_id))), ''),
    b.state, -sum(b.pay), -sum(b.fee), 0, -count(*)
  FROM rows_old b
  WHERE b.state <> 'let-go' AND b.pay > 0 AND (SELECT o.state FROM orders o WHERE o.id = b.order_id) = 'paid'
  GROUP BY 1, 2, 3, 4, 5;
  INSERT INTO money_deltas (mode, day, offer_id, adapter, state, pay, fee, refunded, n)
  SELECT m.mode, m.day, m.offer_id, m.adapter, m.state, sum(m.pay), sum(m.fee), sum(m.refunded), count(*)
  FROM money_parts m WHERE m.id = ANY (ARRAY(SELECT id FROM rows_new)) GROUP BY 1, 2, 3, 4, 5;
  RETURN NULL;
END $$;
--> statement-breakpoint
-- One call to a gateway may give back of several lines.
ALTER TABLE "refunds" DROP CONSTRAINT "refunds_key_unique";
--> statement-breakpoint
ALTER TABLE "refunds" ADD COLUMN "is_outside" boolean DEFAULT false NOT NULL;
--> statement-breakpoint
ALTER TABLE "refunds" ADD CONSTRAINT "refunds_called_by_line" UNIQUE("key","line_id");
