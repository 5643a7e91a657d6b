-- Agreements of an earlier version get theirs from their orders' quotes, once the tables are as they are to be.
ALTER TABLE "agreements" ADD COLUMN "phases" jsonb DEFAULT '{"version":1,"phases":[]}' NOT NULL;--> statement-breakpoint
ALTER TABLE "agreements" ALTER COLUMN "phases" DROP DEFAULT;
