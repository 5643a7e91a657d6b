import type { Page } from '@playwright/test'
import sharp from 'sharp'
import { expect, pageOnBench, post, unique } from './acorn.ts'

/** The pages of a product, the one for every day first. */
export async function pagesOf(studio: Page, productId: string): Promise<{ id: string; slug: string; name: string }[]> {
  const pages = await post(studio.request, '/api/pages', undefined, 'GET')
  return pages.filter((page: { productId: string }) => page.productId === productId)
}

/** A page of its own for a course, on the bench. */
export async function newPage(studio: Page, productId: string, from: object, name = unique('Page')) {
  const { id } = await post(studio.request, '/api/pages', { productId, name, from })
  await studio.goto(`/studio/sell/pages/${id}`)
  await expect(pageOnBench(studio).getByRole('heading', { level: 1 })).toBeVisible()
  return { id: id as string, name }
}

/** A picture whose left half is red and whose right half is blue. */
export async function halves(): Promise<Buffer> {
  const half = (background: string) => ({ create: { width: 800, height: 800, channels: 3 as const, background } })
  const right = await sharp(half('#2030c0')).png().toBuffer()
  return sharp({ create: { width: 1600, height: 800, channels: 3, background: '#c03020' } })
    .composite([{ input: right, left: 800, top: 0 }])
    .png()
    .toBuffer()
}
