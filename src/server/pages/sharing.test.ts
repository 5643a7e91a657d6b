import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { EVERYDAY_PAGE } from '../../core/content/checkoutPage.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { openPage, publishPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createPage } from '../checkoutPages/make.ts'
import { keepPicture } from '../media/pictures.ts'
import { breakLines, drawLine } from './letters.ts'
import { drawn } from './sharing.ts'

const world = ownWorld()
const of = { school: 'Fold & Quire', price: '€24', color: '#8f6220', pictureId: null }

describe('the picture of a shared link', () => {
  it('is drawn in the page’s colour with its letters as paths, whatever stands in its title', () => {
    const svg = drawn({ ...of, title: '<script>alert(1)</script> & Übermut' })
    expect(svg).not.toMatch(/<text|<script|alert|font-family/)
    expect(svg).toContain('fill="#8f6220"')
    expect(svg.match(/<path/g)?.length).toBeGreaterThan(30)
  })

  it('has a title of at most three lines, each as wide as there is room', () => {
    const lines = breakLines('Marble your own endpapers '.repeat(12), 60, 600, 3)
    expect(lines).toHaveLength(3)
    expect(lines[2]?.endsWith('…')).toBe(true)
    for (const line of lines) expect(drawLine(line, 60).width).toBeLessThanOrEqual(600)
    const [long] = breakLines('Donaudampfschifffahrtselektrizitätenhauptbetriebswerk', 60, 600, 3)
    expect(drawLine(long ?? '', 60).width).toBeLessThanOrEqual(600)
    // What has no letter in the font is left out, and takes no room.
    expect(drawLine('\u{1F600}', 60)).toEqual({ width: 0, svg: '' })
    expect(drawLine('ő', 60).width).toBeGreaterThan(0)
  })

  it('is answered for a page that sells, named in its head, and replaced by the creator’s own', async () => {
    const course = await world.sell(2400, 'Shared')
    const { id } = await createPage(world.services, {
      productId: course.courseId,
      name: 'Shared',
      from: { arrangement: 'short' },
    })
    const publish = async (pictureId: string | null) => {
      const page = await openPage(world.services, id)
      const content = { ...EVERYDAY_PAGE, search: { ...EVERYDAY_PAGE.search, pictureId } }
      const saved = await savePageDraft(world.services, id, page.draftRev, content)
      await publishPage(world.services, id, saved.draftRev, null)
    }
    await publish(null)
    const { slug } = await openPage(world.services, id)
    const address = `${world.origin}/sharing/${slug}.png`
    const head = await (await fetch(`${world.origin}/buy/${slug}`)).text()
    expect(head).toContain(`<meta property="og:image" content="${world.origin}/sharing/${slug}.png" />`)
    const drawnOne = await fetch(address)
    expect(drawnOne.headers.get('content-type')).toBe('image/png')
    expect(await sharp(Buffer.from(await drawnOne.arrayBuffer())).metadata()).toMatchObject({
      width: 1200,
      height: 630,
    })
    const etag = drawnOne.headers.get('etag') ?? ''
    expect((await fetch(address, { headers: { 'if-none-match': etag } })).status).toBe(304)
    const red = await sharp({ create: { width: 400, height: 400, channels: 3, background: '#ff0000' } })
      .png()
      .toBuffer()
    await publish((await keepPicture(world.services, red)).id)
    const own = await fetch(address, { headers: { 'if-none-match': etag } })
    expect(own.status).toBe(200)
    const [r = 0, g = 255] = await sharp(Buffer.from(await own.arrayBuffer()))
      .extract({ left: 600, top: 300, width: 1, height: 1 })
      .raw()
      .toBuffer()
    expect([r > 240, g < 16]).toEqual([true, true])
    expect((await fetch(`${world.origin}/sharing/no-such-page.png`)).status).toBe(404)
  })
})
