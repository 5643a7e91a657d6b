import { readFileSync } from 'node:fs'
import type { TransferSettings } from '../src/server/db/schema/index.ts'
import { type SchoolFile, writeSorted } from '../src/server/schoolFile/format.ts'
import { readFile } from '../src/server/schoolFile/import.ts'
import type { setUp } from '../src/server/session/signIn.ts'

/** What happened at the demo school, in words of the keys of its products and offers; days count from the loading. */
export interface DemoLife {
  creator: Parameters<typeof setUp>[1]['creator']
  transfer: TransferSettings
  people: string[]
  /** Courses and bundles of the school's file, and their offers, by the keys that the rest of this uses. */
  products: Record<string, { id: string; offers: Record<string, string> }>
  /** Sale prices that began six days ago. */
  sales: { offer: string; amount: number; untilInDays: number; scope?: 'first' }[]
  /** One-time prices that stand in a draft alone. */
  drafts: { offer: string; amount: number }[]
  /** Products that were taken off sale in the end. */
  offSale: string[]
  /** When the access of an offer begins. */
  opensInDays: Record<string, number>
  /** When coupons end, by their codes; below 0: they have ended. */
  couponsEndInDays: Record<string, number>
  /** When checkout pages end, by their addresses. */
  pagesEndInDays: Record<string, number>
  /** Courses that joined bundles, for those who had them too. */
  joins: { bundle: string; course: string; daysAgo: number; notifies: boolean }[]
}

export const DAY_MS = 86_400_000

/** The demo school: its file, as anybody could import it, and what happened there. */
export function readDemo(): { file: SchoolFile; life: DemoLife } {
  const text = (name: string) => readFileSync(new URL(`./${name}`, import.meta.url), 'utf8')
  return { file: readFile(text('school.json')), life: JSON.parse(text('life.json')) as DemoLife }
}

/** The school's file with the days that count from its loading at `today`, a moment in milliseconds. */
export function filledIn({ file, life }: ReturnType<typeof readDemo>, today: number): string {
  const dayIn = (days: number) => new Date(today + days * DAY_MS).toISOString().slice(0, 10)
  const filled = structuredClone(file)
  const opens = new Map(Object.entries(life.opensInDays).map(([key, days]) => [offerOf(life, key), days]))
  for (const { id, draft, live } of filled.courses.flatMap(({ offers }) => offers)) {
    const days = opens.get(id)
    for (const content of [draft, live]) if (content && days !== undefined) content.access.from = dayIn(days)
  }
  for (const { draft, live } of filled.coupons) {
    const days = life.couponsEndInDays[draft.code]
    // Midnight in Vienna, more or less: to the minute it is of no matter to the demo.
    for (const content of [draft, live]) if (content && days !== undefined) content.until = `${dayIn(days)}T23:00:00Z`
  }
  for (const { slug, draft, live } of filled.pages) {
    const days = life.pagesEndInDays[slug]
    for (const content of [draft, live]) {
      if (content && days !== undefined) content.ends = { at: `${dayIn(days)}T22:00:00Z`, leadsTo: null }
    }
  }
  return writeSorted(filled)
}

/** The id of an offer by its key. @throws Error where there is none. */
export function offerOf({ products }: DemoLife, key: string): string {
  const id = Object.values(products).flatMap(({ offers }) => offers[key] ?? [])[0]
  if (!id) throw new Error(`The demo has no offer ${key}.`)
  return id
}

export function emailOf(name: string): string {
  return `${name.toLowerCase().replaceAll(' ', '.')}@post.example`
}
