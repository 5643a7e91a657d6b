ALTER TABLE "password_links" ALTER COLUMN "person_id" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "password_links" ADD COLUMN "creator_id" uuid;--> statement-breakpoint
ALTER TABLE "password_links" ADD COLUMN "email" text;--> statement-breakpoint
ALTER TABLE "password_links" ADD CONSTRAINT "password_links_creator_id_creators_id_fk" FOREIGN KEY ("creator_id") REFERENCES "public"."creators"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "password_links_of_person" ON "password_links" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "password_links_ended" ON "password_links" USING btree ("expires_at");--> statement-breakpoint
ALTER TABLE "password_links" ADD CONSTRAINT "password_links_one_owner" CHECK (num_nonnulls("password_links"."creator_id", "password_links"."person_id") = 1);