import { createServer } from 'node:net'
import { eq } from 'drizzle-orm'
import { SMTPServer } from 'smtp-server'
import { expect, it } from 'vitest'
import { Mailbox } from '../standins/mailbox/mailbox.ts'
import { ownWorld } from '../testing/ownWorld.ts'
import { eventually } from '../testing/world.ts'
import { insertAll } from './db/insertAll.ts'
import { messages } from './db/schema/index.ts'
import { senderOf, smtpPost } from './messages/send.ts'
import { openOutbox, sendAgain } from './messages/sent.ts'
import { queueMessage } from './outbox/queue.ts'
import { addPerson } from './people/service.ts'
import { inTransaction, type Services } from './platform/context.ts'
import { JOBS, jobsIn } from './platform/jobs.ts'
import { runWorker } from './worker.ts'

const world = ownWorld()

const email = { subject: 'S', html: '<p>x</p>', text: 'x', to: 'a@post.example', replyTo: 'owner@post.example' }

it('one message that is refused keeps no other from being sent; it is seen, and sent again', async () => {
  const refusing = new Set(['refused@post.example'])
  const taken: string[] = []
  const server = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    onRcptTo: ({ address }, _session, done) =>
      done(refusing.has(address) ? Object.assign(new Error('mailbox full'), { responseCode: 452 }) : null),
    onData: (stream, session, done) => {
      stream.resume()
      stream.on('end', () => {
        taken.push(session.envelope.rcptTo[0]?.address ?? '')
        done()
      })
    },
  })
  const port = await new Promise<number>((resolve) => {
    const listening = server.listen(0, '127.0.0.1', () => resolve((listening.address() as { port: number }).port))
  })
  const services: Services = { ...world.services, jobs: JOBS, config: { ...world.services.config, mailPort: port } }
  const ids: string[] = []
  for (const email of ['first@post.example', 'refused@post.example', 'third@post.example']) {
    const { id } = await addPerson(services, 'practice', 'Ada', email)
    ids.push(id)
    await inTransaction(services, async (services) => {
      const { rows } = queueMessage(services, { mode: 'practice', kind: 'password', personId: id })
      await insertAll(services.db, ...rows)
    })
  }
  const stop = await runWorker(services, jobsIn(world.db))
  await eventually(async () => taken.length === 2)
  expect(taken.sort()).toEqual(['first@post.example', 'third@post.example'])
  await eventually(async () => (await openOutbox(services, 'practice')).failed.length === 1)
  const { failed } = await openOutbox(services, 'practice')
  expect(failed).toMatchObject([{ to: 'refused@post.example', why: expect.stringContaining('mailbox full') }])
  refusing.clear()
  await sendAgain(services, 'practice', failed[0]?.id as string)
  await eventually(async () => taken.includes('refused@post.example'))
  const stored = () =>
    world.db
      .select()
      .from(messages)
      .where(eq(messages.personId, ids[1] as string))
  await eventually(async () => (await stored())[0]?.state === 'sent')
  const [sent] = await stored()
  await expect(sendAgain(services, 'practice', sent?.id as string)).rejects.toMatchObject({ status: 409 })
  await stop()
  await new Promise<void>((closed) => server.close(closed))
})

it('a mail server that takes the connection and says nothing is given up after a while', async () => {
  const mute = createServer(() => {})
  const port = await new Promise<number>((resolve) => {
    mute.listen(0, '127.0.0.1', () => resolve((mute.address() as { port: number }).port))
  })
  const limits = { connectionTimeout: 200, greetingTimeout: 200, socketTimeout: 200, dnsTimeout: 200 }
  await expect(
    smtpPost(port, limits)({ ...email, from: senderOf({ name: 'School', senderName: '' }) }),
  ).rejects.toThrow()
  mute.close()
})

it('a school is named in its mail as it is called, whatever it is called', async () => {
  const mailbox = new Mailbox(null)
  const port = await mailbox.listen(0)
  for (const name of [
    'Fold \\',
    'A "quoted" \\"one',
    'Ö & Söhne, Wien',
    'x\r\nBcc: everybody@post.example',
    'a@b <c@d>',
  ]) {
    await smtpPost(port)({
      ...email,
      to: `${mailbox.list().length}@post.example`,
      from: senderOf({ name, senderName: '' }),
    })
    const [mail] = mailbox.list()
    expect(mail?.from).toContain('<school@young-acorn.example>')
    const letters = (text: string) => text.replace(/[^\p{L}]/gu, '')
    expect(letters(mail?.from ?? '')).toContain(letters(name.replace('\r\n', '')))
    expect(mail?.to).toBe(`${mailbox.list().length - 1}@post.example`)
  }
  await mailbox.close()
})
