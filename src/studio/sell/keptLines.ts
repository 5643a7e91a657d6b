/** Each line of the chart has a colour, a dash and a point of its own, so that none is told by colour alone. */
export const KEPT_LINES = [
  { color: '#1a231c', dash: [], point: 'circle', sign: '●' },
  { color: '#4d6a14', dash: [7, 4], point: 'triangle', sign: '▲' },
  { color: '#9c2b27', dash: [2, 3], point: 'rect', sign: '■' },
  { color: '#2f4374', dash: [10, 3, 2, 3], point: 'rectRot', sign: '◆' },
  { color: '#8a5200', dash: [4, 4], point: 'crossRot', sign: '✕' },
  { color: '#5b3d66', dash: [1, 4], point: 'star', sign: '✳' },
] as const

/** How the line at a place looks. */
export function keptLine(index: number): (typeof KEPT_LINES)[number] {
  return KEPT_LINES[index % KEPT_LINES.length] ?? KEPT_LINES[0]
}
