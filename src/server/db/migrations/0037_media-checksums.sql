CREATE TABLE "awaited_videos" (
	"id" uuid PRIMARY KEY NOT NULL,
	"checksum" text NOT NULL,
	"type" text NOT NULL,
	"length" bigint NOT NULL,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "pictures" ADD COLUMN "checksum" text;--> statement-breakpoint
CREATE INDEX "awaited_videos_by_file" ON "awaited_videos" USING btree ("checksum");--> statement-breakpoint
CREATE INDEX "pictures_by_checksum" ON "pictures" USING btree ("checksum");