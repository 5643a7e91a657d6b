/** Three sewn lines, the ornament on a cloth. */
export function Stitches({ className }: { className?: string }) {
  const wave = 'c16-12 30-12 46 0s30 12 46 0 30-12 46 0 30 12 46 0 30-12 46 0'
  return (
    <svg viewBox="0 0 300 170" aria-hidden="true" className={className}>
      <g stroke="#eef3df" strokeWidth="2" fill="none" strokeLinecap="round">
        <path d={`M20 10v150M20 30${wave}`} />
        <path d={`M20 80${wave}`} />
        <path d={`M20 130${wave}`} />
      </g>
    </svg>
  )
}
