ALTER TABLE "agreements" ADD COLUMN "last_tried" date;--> statement-breakpoint
UPDATE "agreements" a SET "last_tried" = (
  SELECT max(t.day) FROM attempts t WHERE t.agreement_id = a.id AND t.made_by = 'worker' AND t.state = 'declined')
WHERE a.tries > 0;
