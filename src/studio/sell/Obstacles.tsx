import type { Fix, Obstacle } from '../../core/readiness/readiness.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { State } from '../../ui/State.tsx'

interface ObstaclesProps {
  obstacles: Obstacle[]
  fix: (to: Fix['to']) => void
  /** Said where nothing stands in the way. */
  nothing: string
}

/** What stands in the way, each with a button that leads to the fix. */
export function Obstacles({ obstacles, fix, nothing }: ObstaclesProps) {
  if (obstacles.length === 0) return <State shape="received">{nothing}</State>
  return (
    <ul className="grid gap-1.5">
      {obstacles.map(({ code, level, title, detail, fix: paymentMethod }) => (
        <li
          key={code}
          className={classes(
            'grid grid-cols-[18px_1fr_auto] items-start gap-2 rounded-field px-2.5 py-[7px] text-[13px]',
            level === 'block' ? 'bg-failed-soft' : 'bg-late-soft',
          )}
        >
          <LevelMark level={level} />
          <span>
            {level === 'block' ? <b className="font-semibold">{title}</b> : title} {detail}
          </span>
          <Button kind="link" onClick={() => fix(paymentMethod.to)}>
            {paymentMethod.label}
          </Button>
        </li>
      ))}
    </ul>
  )
}

function LevelMark({ level }: { level: Obstacle['level'] }) {
  return level === 'block' ? (
    <svg
      width="16"
      height="16"
      viewBox="0 0 16 16"
      role="img"
      aria-label="Blocks the sale"
      className="mt-0.5 text-failed"
    >
      <rect x="2" y="2" width="12" height="12" rx="2" fill="currentColor" />
      <path d="M5 8h6" stroke="#fff" strokeWidth="2" />
    </svg>
  ) : (
    <svg width="16" height="16" viewBox="0 0 16 16" role="img" aria-label="Worth a look" className="mt-0.5 text-late">
      <path d="M8 2l7 12H1z" fill="currentColor" />
    </svg>
  )
}
