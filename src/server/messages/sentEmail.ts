import { eq } from 'drizzle-orm'
import { makePayLink } from '../collecting/payLinks.ts'
import { type messages, people, type SentEmail } from '../db/schema/index.ts'
import { makeOrderLink } from '../orders/orderLinks.ts'
import type { Services } from '../platform/context.ts'
import { makePasswordLink } from '../session/links.ts'
import type { Email } from './compose.ts'

/** What a link in a message is for that holds a secret. */
const SECRET = ['pay', 'password', 'order', 'studio/password', 'email'] as const
type Secret = (typeof SECRET)[number]

/** Stands in a sent email where a link with a secret stood. */
const marker = (secret: string) => `one-time:${secret}`
const MARKERS = new RegExp(`one-time:(${SECRET.join('|')})`, 'g')
const PICTURES = /src="data:image\/png;base64,([^"]+)"/g

/** An email as it is stored: its secret links are taken out, its pictures put in, so that it can be shown as it was. */
export function storedEmail({ subject, text, html, pictures = [] }: Email, origin: string): SentEmail {
  const links = new RegExp(`${origin.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}/(${SECRET.join('|')})/[\\w-]{20,}`, 'g')
  const masked = (words: string) => words.replace(links, (_link, secret: string) => marker(secret))
  const shown = pictures.reduce(
    (page, { cid, png }) =>
      page.replaceAll(`src="cid:${cid}"`, `src="data:image/png;base64,${png.toString('base64')}"`),
    html,
  )
  return { subject, text: masked(text), html: masked(shown) }
}

/** A sent email as a person reads it: a link that works once leads nowhere. */
export function maskedOf({ subject, text, html }: SentEmail, origin: string): SentEmail {
  return {
    subject,
    text: text.replace(MARKERS, '[a link that works for the buyer alone]'),
    html: html.replace(MARKERS, '#').replaceAll(`href="${origin}`, `target="_blank" rel="noopener" href="${origin}`),
  }
}

/** The same email once more, with new links where it had some. */
export async function renewedOf(
  services: Services,
  message: typeof messages.$inferSelect,
  { subject, text, html }: SentEmail,
): Promise<Email> {
  const made = new Map<string, string>()
  for (const [, secret] of text.matchAll(MARKERS)) {
    if (secret && !made.has(secret)) made.set(secret, await makeLink(services, message, secret as Secret))
  }
  const filled = (words: string) => words.replace(MARKERS, (_marker, secret: string) => made.get(secret) ?? '')
  const pictures: NonNullable<Email['pictures']> = []
  const page = filled(html).replace(PICTURES, (_src, png: string) => {
    const cid = `picture-${pictures.length}`
    pictures.push({ cid, png: Buffer.from(png, 'base64') })
    return `src="cid:${cid}"`
  })
  return { subject, text: filled(text), html: page, pictures }
}

async function makeLink(
  services: Services,
  { personId, orderId, agreementId }: typeof messages.$inferSelect,
  secret: Secret,
): Promise<string> {
  const { origin } = services.config
  switch (secret) {
    case 'pay':
      return agreementId ? makePayLink(services, agreementId) : `${origin}/my`
    case 'order':
      return orderId ? makeOrderLink(services, orderId) : `${origin}/my`
    case 'password': {
      const [person] = await services.db.select().from(people).where(eq(people.id, personId))
      return person?.passwordHash ? `${origin}/my` : makePasswordLink(services, personId)
    }
    default:
      return `${origin}/my`
  }
}
