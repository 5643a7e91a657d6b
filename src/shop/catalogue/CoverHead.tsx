import type { ProductCard, ShopPage } from '../../server/client.ts'
import { headColor } from '../../ui/look.ts'
import { Stitches } from '../../ui/Stitches.tsx'

/** The head of a product's pages, in its own colour or the school's. */
export function CoverHead({ course, look }: { course: ProductCard; look: ShopPage['school']['look'] }) {
  return (
    <div
      className="relative overflow-hidden py-9 text-[#f4f8ea]"
      style={{ background: headColor(null, look, course.coverColor) }}
    >
      <Stitches className="absolute top-2 right-10 w-[270px] opacity-50 max-md:right-[-60px] max-md:opacity-[.18]" />
      <div className="relative mx-auto w-[1080px] max-w-[calc(100%-32px)]">
        <h1 className="text-[28px] md:text-[38px]">{course.title}</h1>
        {course.summary && <p className="mt-2 max-w-[62ch] text-[16px]">{course.summary}</p>}
      </div>
    </div>
  )
}
