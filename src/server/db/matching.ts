import { type SQL, sql } from 'drizzle-orm'
import { people } from './schema/index.ts'

/** Text that is looked for as it is, in a `like`. */
export function likely(search: string): SQL {
  const pattern = `%${search.trim().replace(/[\\%_]/g, '\\$&')}%`
  return sql`plain_text(${pattern})`
}

/** Whether a buyer is called so, or has such an address: letters count without their case and accents. */
export function nameFits(search: string, alias?: string): SQL {
  return alias
    ? sql`${sql.identifier(alias)}.search_text like ${likely(search)}`
    : sql`${people.searchText} like ${likely(search)}`
}
