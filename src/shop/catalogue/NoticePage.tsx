import type { NoticeView } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { Sheet } from '../Sheet.tsx'

/** Why something is not here or not open, and what to do. */
export default function NoticePage({ view }: { view: NoticeView }) {
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">{view.title}</h1>
      <p className="mt-2 whitespace-pre-line text-ink-2">{view.text}</p>
      <p className="mt-5 flex flex-wrap gap-2">
        {view.actions.map(({ label, href }, index) => (
          <a key={href} href={href} className={buttonClass(index === 0 ? 'press' : 'quiet')}>
            {label}
          </a>
        ))}
      </p>
    </Sheet>
  )
}
