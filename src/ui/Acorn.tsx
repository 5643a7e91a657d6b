/** The product's mark. */
export function Acorn({ size = 20 }: { size?: number }) {
  return (
    <svg width={size} height={size * 1.1} viewBox="0 0 20 22" aria-hidden="true" className="flex-none">
      <path d="M3 8c0-3 3-5 7-5s7 2 7 5z" fill="#1a231c" />
      <path d="M4 9.5h12c0 6-3 9.5-6 11.5-3-2-6-5.5-6-11.5z" fill="#c9dd62" stroke="#1a231c" strokeWidth="1.4" />
      <path d="M10 3V.8" stroke="#1a231c" strokeWidth="1.6" strokeLinecap="round" />
    </svg>
  )
}
