import { eq } from 'drizzle-orm'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import { creators, people } from '../db/schema/index.ts'
import { inMode, type Services } from '../platform/context.ts'
import type { AccountMail } from '../platform/jobs.ts'
import { getSchool } from '../school/service.ts'
import { makeCreatorEmailLink, makeCreatorLink, makeEmailLink } from '../session/links.ts'
import { composeEmail, greeting } from './compose.ts'
import { creatorAddress } from './facts.ts'
import { sampleOf } from './samples.ts'
import { type Mailer, senderIn } from './send.ts'
import { composeSold } from './sold.ts'

const WORDS = MAIL.account

/** Makes and sends a link of an account. Its secret is made now, and lies nowhere. @throws where it could not be sent. */
export async function sendAccountMail(services: Services, mail: AccountMail, post: Mailer): Promise<void> {
  const school = await getSchool(services.db)
  const by = await senderIn(services, school)
  if (mail.kind === 'creator-password') {
    const [creator] = await services.db.select().from(creators).where(eq(creators.id, mail.creatorId))
    if (!creator) return
    const made = composeEmail(school, WORDS.newPassword.subject, [
      greeting(creator.name),
      {
        text: WORDS.newPassword.text,
        link: await makeCreatorLink(services, creator.id),
        label: WORDS.newPassword.label,
      },
    ])
    return post({ ...made, to: creator.email, ...by })
  }
  if (mail.kind === 'creator-email') {
    const [creator] = await services.db.select().from(creators).where(eq(creators.id, mail.creatorId))
    if (!creator) return
    const made = composeEmail(school, WORDS.newEmail.subject, [
      greeting(creator.name),
      {
        text: WORDS.newEmail.studio,
        link: await makeCreatorEmailLink(services, creator.id, mail.email),
        label: WORDS.newEmail.label,
      },
    ])
    return post({ ...made, to: mail.email, ...by })
  }
  if (mail.kind === 'test') {
    const [creator] = await services.db.select().from(creators).where(eq(creators.id, mail.creatorId))
    if (!creator) return
    const made = await sampleOf(services, school, mail.of, mail.ownWords)
    return post({ ...made, subject: say(WORDS.test, { subject: made.subject }), to: creator.email, ...by })
  }
  if (mail.kind === 'sold') {
    const made = await composeSold(services, school, mail.mode, mail.day)
    if (made) await post({ ...made, to: await creatorAddress(services), ...by })
    return
  }
  const [person] = await services.db.select().from(people).where(eq(people.id, mail.personId))
  if (!person) return
  const theirs = await inMode(services, person.mode)
  const made = composeEmail(school, WORDS.newEmail.subject, [
    greeting(person.name),
    {
      text: say(WORDS.newEmail.school, { school: school.name }),
      link: await makeEmailLink(theirs, person.id, mail.email),
      label: WORDS.newEmail.label,
    },
  ])
  return post({ ...made, to: mail.email, ...by })
}
