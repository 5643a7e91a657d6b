CREATE TABLE "file_parts" (
	"file_id" uuid NOT NULL,
	"n" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "file_parts_file_id_n_pk" PRIMARY KEY("file_id","n")
);
--> statement-breakpoint
CREATE TABLE "files" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"type" text NOT NULL,
	"length" bigint NOT NULL,
	"checksum" text,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "picture_sizes" (
	"picture_id" uuid NOT NULL,
	"width" integer NOT NULL,
	"file_id" uuid NOT NULL,
	CONSTRAINT "picture_sizes_picture_id_width_pk" PRIMARY KEY("picture_id","width")
);
--> statement-breakpoint
CREATE TABLE "videos" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"file_id" uuid NOT NULL,
	"name" text NOT NULL,
	"length" integer NOT NULL,
	"width" integer NOT NULL,
	"height" integer NOT NULL,
	"warning" text,
	"captions" text,
	"created_at" timestamp (3) with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "file_parts" ADD CONSTRAINT "file_parts_file_id_files_id_fk" FOREIGN KEY ("file_id") REFERENCES "public"."files"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "picture_sizes" ADD CONSTRAINT "picture_sizes_picture_id_pictures_id_fk" FOREIGN KEY ("picture_id") REFERENCES "public"."pictures"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "picture_sizes" ADD CONSTRAINT "picture_sizes_file_id_files_id_fk" FOREIGN KEY ("file_id") REFERENCES "public"."files"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "videos" ADD CONSTRAINT "videos_file_id_files_id_fk" FOREIGN KEY ("file_id") REFERENCES "public"."files"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "videos_of_file" ON "videos" USING btree ("file_id");--> statement-breakpoint
-- What was stored in one piece is stored in parts: each picture as it was kept, and its small copy.
CREATE TEMPORARY TABLE kept_sizes AS
  SELECT gen_random_uuid() AS file_id, id AS picture_id, width, large AS data, created_at FROM pictures
  UNION ALL
  SELECT gen_random_uuid(), id,
    CASE WHEN width >= height THEN 480 ELSE round(width * 480.0 / height)::int END, small, created_at
  FROM pictures WHERE greatest(width, height) > 480;--> statement-breakpoint
INSERT INTO files (id, type, length, checksum, created_at)
  SELECT file_id, 'image/webp', length(data), encode(sha256(data), 'hex'), created_at FROM kept_sizes;--> statement-breakpoint
INSERT INTO file_parts (file_id, n, data)
  SELECT file_id, n, substring(data FROM n * 1048576 + 1 FOR 1048576)
  FROM kept_sizes, generate_series(0, (length(data) - 1) / 1048576) AS n;--> statement-breakpoint
INSERT INTO picture_sizes (picture_id, width, file_id) SELECT picture_id, width, file_id FROM kept_sizes;--> statement-breakpoint
DROP TABLE kept_sizes;--> statement-breakpoint
ALTER TABLE "pictures" DROP COLUMN "large";--> statement-breakpoint
ALTER TABLE "pictures" DROP COLUMN "small";