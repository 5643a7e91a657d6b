import * as v from 'valibot'
import { MESSAGE_KINDS, type MessageKind, type NotificationSetting, school } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'

/** As it comes, whatever is switched off. */
export const ALWAYS: NotificationSetting = { isOn: true, ownWords: '' }

/** How a kind of message is sent. A link that was asked for is always sent. */
export function notificationOf(
  { notifications }: Pick<School, 'notifications'>,
  kind: MessageKind,
): NotificationSetting {
  return kind === 'password' || kind === 'pay-link' ? ALWAYS : (notifications[kind] ?? ALWAYS)
}

export const notificationsSchema = v.object({
  notifications: v.record(
    v.picklist(MESSAGE_KINDS),
    v.object({
      isOn: v.boolean(),
      ownWords: v.pipe(v.string(), v.maxLength(600, 'Use at most 600 characters.')),
    }),
  ),
})

/** Changes what is told to whom. Messages that wait to be sent go by it too. */
export async function setNotifications(
  { db }: Services,
  { notifications }: v.InferOutput<typeof notificationsSchema>,
): Promise<void> {
  await db.update(school).set({ notifications: notifications as Record<string, NotificationSetting> })
}
