import type { UseInfiniteQueryResult } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { Button } from '../../ui/Button.tsx'

interface ShowMoreProps {
  list: Pick<UseInfiniteQueryResult, 'hasNextPage' | 'isFetchingNextPage' | 'fetchNextPage'>
  label?: string
  className?: string
}

/** The next page of a list, where there is one: it comes by itself when this is scrolled into sight, or by a press. */
export function ShowMore({ list, label = 'Show more', className = 'py-2' }: ShowMoreProps) {
  const end = useRef<HTMLParagraphElement>(null)
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = list
  useEffect(() => {
    if (!end.current || !hasNextPage || isFetchingNextPage) return
    const seen = new IntersectionObserver((entries) => {
      if (entries.some(({ isIntersecting }) => isIntersecting)) void fetchNextPage()
    })
    seen.observe(end.current)
    return () => seen.disconnect()
  }, [hasNextPage, isFetchingNextPage, fetchNextPage])
  if (!hasNextPage) return null
  return (
    <p ref={end}>
      <Button kind="link" className={className} disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
        {label}
      </Button>
    </p>
  )
}
