import { Hono } from 'hono'
import * as v from 'valibot'
import { takeBack } from '../access/close.ts'
import { giveAccess, giveSchema, setAccessEnd, untilSchema } from '../access/give.ts'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { erasePerson } from './erase.ts'
import { peopleCsv } from './files.ts'
import { joinPeople } from './join.ts'
import { peopleOverview } from './overview.ts'
import {
  addPerson,
  correctionSchema,
  correctPerson,
  detailsSchema,
  listPeople,
  openPerson,
  peopleFor,
  peopleQuery,
  sendPasswordLink,
} from './service.ts'
import { dataOf } from './theirData.ts'

const uuid = v.pipe(v.string(), v.uuid('There is no such person.'))
const byId = v.object({ id: uuid })
const note = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Say why. It is kept in the history.'),
  v.maxLength(300, 'Use at most 300 characters.'),
)

export function peopleRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/overview', async (c) => c.json(await peopleOverview(services, c.get('mode'))))
    .get('/', validate('query', peopleQuery), async (c) =>
      c.json(await listPeople(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/people.csv', validate('query', peopleQuery), async (c) => {
      const { after: _after, ...query } = c.req.valid('query')
      c.header('content-type', 'text/csv; charset=utf-8')
      c.header('content-disposition', 'attachment; filename="people.csv"')
      const { timeZone } = await getSchool(services.db)
      return c.body(peopleCsv(await peopleFor(services, c.get('mode'), query), timeZone))
    })
    .post('/', validate('json', detailsSchema), async (c) => {
      const { name, email } = c.req.valid('json')
      return c.json(await addPerson(services, c.get('mode'), name, email), 201)
    })
    .get('/:id', validate('param', byId), async (c) =>
      c.json(await openPerson(services, c.get('mode'), c.req.valid('param').id)),
    )
    .put('/:id', validate('param', byId), validate('json', correctionSchema), async (c) => {
      const theirs = await inMode(services, c.get('mode'))
      await correctPerson(theirs, c.get('mode'), c.req.valid('param').id, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .post(
      '/:id/join',
      validate('param', byId),
      validate('json', v.object({ other: v.pipe(v.string(), v.uuid('Choose the person to join.')), note })),
      keyed,
      async (c) => {
        const mode = c.get('mode')
        const { other, note: why } = c.req.valid('json')
        await joinPeople(answering(c, await inMode(services, mode)), mode, c.req.valid('param').id, other, why)
        return c.json({ ok: true })
      },
    )
    .get('/:id/data.json', validate('param', byId), async (c) => {
      const mode = c.get('mode')
      const { id } = c.req.valid('param')
      c.header('content-disposition', `attachment; filename="person-${id.slice(0, 8)}.json"`)
      return c.json(await dataOf(await inMode(services, mode), mode, id))
    })
    .post('/:id/erase', validate('param', byId), validate('json', v.object({ note })), async (c) => {
      const mode = c.get('mode')
      await erasePerson(await inMode(services, mode), mode, c.req.valid('param').id, c.req.valid('json').note)
      return c.json({ ok: true })
    })
    .post('/:id/password-link', validate('param', byId), async (c) => {
      const mode = c.get('mode')
      await sendPasswordLink(await inMode(services, mode), mode, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .post('/:id/grants', validate('param', byId), validate('json', giveSchema), keyed, async (c) => {
      const { id } = c.req.valid('param')
      await openPerson(services, c.get('mode'), id)
      await giveAccess(answering(c, await inMode(services, c.get('mode'))), id, c.req.valid('json'))
      return c.json({ ok: true }, 201)
    })
    .put('/grants/:id/until', validate('param', byId), validate('json', untilSchema), keyed, async (c) => {
      const mode = c.get('mode')
      await setAccessEnd(answering(c, await inMode(services, mode)), mode, c.req.valid('param').id, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .post('/grants/:id/take-back', validate('param', byId), validate('json', v.object({ note })), keyed, async (c) => {
      const mode = c.get('mode')
      await takeBack(
        answering(c, await inMode(services, mode)),
        mode,
        c.req.valid('param').id,
        c.req.valid('json').note,
      )
      return c.json({ ok: true })
    })
}
