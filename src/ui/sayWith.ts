import { createElement, Fragment, type ReactNode } from 'react'
import type { ValuesOf } from '../core/words/message.ts'

/** A message of the catalogue whose names are filled in with elements: a link, what is bold. */
export function sayWith<const M extends string>(message: M, parts: Record<keyof ValuesOf<M>, ReactNode>): ReactNode {
  const given = parts as Record<string, ReactNode>
  const pieces = message.split(/\{(\w+)\}/).map((piece, index) => (index % 2 === 0 ? piece : given[piece]))
  return createElement(Fragment, null, ...pieces)
}
