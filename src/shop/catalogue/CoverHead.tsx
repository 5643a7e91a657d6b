import type { ProductCard } from '../../server/client.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { Stitches } from '../../ui/Stitches.tsx'

/** The head of a course's pages, in its cloth. */
export function CoverHead({ course, school, under = false }: { course: ProductCard; school: string; under?: boolean }) {
  return (
    <div
      className={`relative overflow-hidden text-[#f4f8ea] ${COVER_CLASS[course.coverColor]} ${under ? 'pt-5 pb-[74px]' : 'py-9'}`}
    >
      <Stitches className="absolute top-2 right-10 w-[270px] opacity-50 max-md:right-[-60px] max-md:opacity-[.18]" />
      <div className="relative mx-auto w-[1080px] max-w-[calc(100%-32px)]">
        {under && (
          <a href="/" className="display mb-4 inline-block text-[14px] font-semibold">
            {school}
          </a>
        )}
        <h1 className="text-[28px] md:text-[38px]">{course.title}</h1>
        {course.summary && <p className="mt-2 max-w-[62ch] text-[16px]">{course.summary}</p>}
      </div>
    </div>
  )
}
