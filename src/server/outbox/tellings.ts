import * as v from 'valibot'
import { MESSAGE_KINDS, type MessageKind, school, type Telling } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'

/** As it comes, whatever is switched off. */
export const ALWAYS: Telling = { isOn: true, ownWords: '' }

/** How a kind of message is sent. A link that was asked for is always sent. */
export function tellingOf({ tells }: Pick<School, 'tells'>, kind: MessageKind): Telling {
  return kind === 'password' || kind === 'pay-link' ? ALWAYS : (tells[kind] ?? ALWAYS)
}

export const tellingsSchema = v.object({
  tells: v.record(
    v.picklist(MESSAGE_KINDS),
    v.object({
      isOn: v.boolean(),
      ownWords: v.pipe(v.string(), v.maxLength(600, 'Use at most 600 characters.')),
    }),
  ),
})

/** Changes what is told to whom. Messages that wait to be sent go by it too. */
export async function setTellings({ db }: Services, { tells }: v.InferOutput<typeof tellingsSchema>): Promise<void> {
  await db.update(school).set({ tells: tells as Record<string, Telling> })
}
