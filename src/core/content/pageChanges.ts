import { type PagePart, type PartKind, type Place, shotsOf } from '../checkoutPages/parts.ts'
import { type Change, compare } from './changes.ts'
import type { Addition, PageContent, Upsell } from './checkoutPage.ts'
import { isSame } from './isSame.ts'

/** How the things are called of which a page's changes speak. */
export interface PageNames {
  /** An offer with its product. */
  offer: (offerId: string) => string
  part: (kind: PartKind) => string
  page: (pageId: string) => string
  /** A moment by the school's clock. */
  moment: (instant: string) => string
}

const WHERE: Record<Place, string> = { above: 'above the form', beside: 'beside the form', below: 'below the form' }

/** What publishing a checkout page's draft would change for its visitors. */
export function pageChanges(live: PageContent | null, draft: PageContent, names: PageNames): Change[] {
  const named = ({ offerId, title, text }: Addition) => [offerId ? names.offer(offerId) : 'nothing yet', title, text]
  const joined = (parts: string[]) => parts.filter((part) => part !== '').join(' · ')
  const ways = (upsells: readonly Upsell[], { onYes, onNo }: Upsell) => {
    const place = (id: string | null) => upsells.findIndex((one) => one.id === id) + 1 || 'thanks'
    return `yes: ${place(onYes)}, no: ${place(onNo)}`
  }
  const changes = compare(live, draft, [
    ['Name', ({ name }) => name],
    ['Offers', ({ offers }) => (offers === null ? 'all that are on sale' : offers.map(names.offer).join(', '))],
    ['Chosen beforehand', ({ chosen }) => (chosen === null ? 'the first' : names.offer(chosen))],
    ['Code applied by itself', ({ code }) => code],
    ['Form', ({ formSide }) => `on the ${formSide}`],
    ['Colour', ({ color }) => color ?? 'the product’s own'],
    [
      'End',
      ({ ends }) =>
        ends
          ? `${names.moment(ends.at)}, then ${ends.leadsTo ? names.page(ends.leadsTo) : 'it says that it is over'}`
          : '',
    ],
    ['Title for search engines', ({ search }) => search.title],
    ['Description for search engines', ({ search }) => search.description],
    ['Search engines', ({ search }) => (search.isListed ? 'may list it' : 'may not list it')],
    [
      'Picture for sharing',
      ({ search }) => (search.pictureId === null ? 'drawn from title, price and colour' : search.pictureId),
    ],
    ['Order bumps', ({ bumps }) => bumps.map((bump) => joined([...named(bump), bump.tick])).join('; ')],
    ['Upsells', ({ upsells }) => upsells.map((step) => joined([...named(step), ways(upsells, step)])).join('; ')],
    [
      'After a bank transfer',
      (of) => (of.upsellsByTransfer ? 'upsells too' : of.upsells.length > 0 ? 'no upsells' : ''),
    ],
  ])
  const pictures = (of: readonly Addition[]) => of.map(({ coverId }) => coverId).join()
  const changed = (['bumps', 'upsells'] as const).filter(
    (field) => live && pictures(live[field]) !== pictures(draft[field]),
  )
  const called = { bumps: 'Pictures of order bumps', upsells: 'Pictures of upsells' }
  return [
    ...changes,
    ...partChanges(live?.parts ?? [], draft.parts, names),
    ...changed.map((field) => ({ what: called[field], from: 'the old ones', to: 'the new ones' })),
  ]
}

/** Parts that come, go, move or are changed; of a changed text both are said. */
function partChanges(live: readonly PagePart[], draft: readonly PagePart[], { part: nameOf }: PageNames): Change[] {
  const before = new Map(live.map((part) => [part.id, part]))
  const draftIds = new Set(draft.map(({ id }) => id))
  const gone = live
    .filter(({ id }) => !draftIds.has(id))
    .map(({ kind }): Change => ({ what: 'Part', from: nameOf(kind), to: null }))
  const others = draft.flatMap((part): Change[] => {
    const name = nameOf(part.kind)
    const old = before.get(part.id)
    if (!old || old.kind !== part.kind) {
      const words = wordsOf(part)
      return [{ what: 'Part', from: null, to: `${name}, ${WHERE[part.place]}${words && `: ${words}`}` }]
    }
    const moved = old.place === part.place ? [] : [{ what: name, from: WHERE[old.place], to: WHERE[part.place] }]
    return [...moved, ...wordChanges(old, part, name)]
  })
  // Of those that stay at their place: whether they follow each other in another order.
  const order = (parts: readonly PagePart[], among: ReadonlyMap<string, PagePart>) =>
    parts.filter(({ id, place }) => among.get(id)?.place === place).map(({ id }) => id)
  const after = new Map(draft.map((part) => [part.id, part]))
  const isReordered = order(live, after).join() !== order(draft, before).join()
  const reordered = isReordered ? [{ what: 'Order of the parts', from: 'the old one', to: 'the new one' }] : []
  return [...gone, ...others, ...reordered]
}

function wordChanges(old: PagePart, now: PagePart, name: string): Change[] {
  const [from, to] = [wordsOf(old), wordsOf(now)]
  if (from !== to) return [{ what: name, from: from || null, to: to || null }]
  if (isSame({ ...old, place: null }, { ...now, place: null })) return []
  return [
    isSame(shotsOf(old), shotsOf(now))
      ? { what: name, from: 'the old look', to: 'the new look' }
      : { what: `${name}, picture`, from: 'the old one', to: 'the new one' },
  ]
}

/** The words of a part, as far as they are said. */
function wordsOf(part: PagePart): string {
  const said = (...words: string[]) => words.filter((word) => word.trim() !== '').join(' · ')
  switch (part.kind) {
    case 'opening':
      return said(part.kicker, part.title, part.text)
    case 'text':
      return said(part.html.replaceAll(/<[^>]*>/g, ' ').replaceAll(/\s+/g, ' '))
    case 'picture':
      return said(part.caption)
    case 'video':
    case 'lessons':
    case 'prices':
      return said(part.title)
    case 'gets':
      return said(part.title, ...part.lines)
    case 'testimonials':
      return said(part.title, ...part.people.flatMap(({ words, name, role }) => [words, name, role]))
    case 'guarantee':
      return said(part.days === null ? '' : `${part.days} days`, part.text)
    case 'questions':
      return said(part.title, ...part.list.flatMap(({ question, answer }) => [question, answer]))
    case 'teacher':
      return said(part.title, part.name, part.text)
    case 'countdown':
      return said(part.text)
    case 'logo':
    case 'divider':
      return ''
  }
}
