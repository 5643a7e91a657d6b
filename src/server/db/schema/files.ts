import { bigint, index, integer, pgTable, primaryKey, text, uuid } from 'drizzle-orm/pg-core'
import { bytes, moment } from './columns.ts'

/** Bytes that were uploaded, or made of them, in parts of at most 1 MiB: whole once their checksum is known. */
export const files = pgTable('files', {
  id: uuid().primaryKey().defaultRandom(),
  /** Its media type, by what is in it. */
  type: text().notNull(),
  /** How many bytes it has, or will have. */
  length: bigint({ mode: 'number' }).notNull(),
  /** SHA-256 in hexadecimal digits; null while it is being uploaded. */
  checksum: text(),
  createdAt: moment().notNull(),
})

export const fileParts = pgTable(
  'file_parts',
  {
    fileId: uuid()
      .notNull()
      .references(() => files.id, { onDelete: 'cascade' }),
    n: integer().notNull(),
    data: bytes().notNull(),
  },
  (table) => [primaryKey({ columns: [table.fileId, table.n] })],
)

/** Uploaded pictures, re-encoded in several widths, without the metadata that cameras add. */
export const pictures = pgTable(
  'pictures',
  {
    id: uuid().primaryKey().defaultRandom(),
    width: integer().notNull(),
    height: integer().notNull(),
    /** A coarse copy of it as a data address, shown while it loads; null where one would shine through. */
    preview: text(),
    /** SHA-256 of the file that it was made of, in hexadecimal digits: the same file again is this picture. */
    checksum: text(),
    createdAt: moment().notNull(),
  },
  (table) => [index('pictures_by_checksum').on(table.checksum)],
)

/** A picture in one width; the widest is what was uploaded, bounded and encoded anew. */
export const pictureSizes = pgTable(
  'picture_sizes',
  {
    pictureId: uuid()
      .notNull()
      .references(() => pictures.id, { onDelete: 'cascade' }),
    width: integer().notNull(),
    fileId: uuid()
      .notNull()
      .references(() => files.id),
  },
  (table) => [primaryKey({ columns: [table.pictureId, table.width] })],
)

/** Videos that a school's file names and whose own files are not here yet: uploading such a file fills its place. */
export const awaitedVideos = pgTable(
  'awaited_videos',
  {
    /** That of the video to be. */
    id: uuid().primaryKey(),
    checksum: text().notNull(),
    type: text().notNull(),
    /** In bytes. */
    length: bigint({ mode: 'number' }).notNull(),
    createdAt: moment().notNull(),
  },
  (table) => [index('awaited_videos_by_file').on(table.checksum)],
)

/** Uploaded videos, once they were looked into. */
export const videos = pgTable(
  'videos',
  {
    id: uuid().primaryKey().defaultRandom(),
    fileId: uuid()
      .notNull()
      .references(() => files.id),
    /** What it was called by who uploaded it. */
    name: text().notNull(),
    /** Seconds. */
    length: integer().notNull(),
    width: integer().notNull(),
    height: integer().notNull(),
    /** What may not play everywhere, in words; null: it plays everywhere. */
    warning: text(),
    /** Its captions, as WebVTT that was read and written anew; null: it has none. */
    captions: text(),
    createdAt: moment().notNull(),
  },
  (table) => [index('videos_of_file').on(table.fileId)],
)
