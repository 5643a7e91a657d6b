import type { UseInfiniteQueryResult } from '@tanstack/react-query'
import { Button } from '../../ui/Button.tsx'

interface ShowMoreProps {
  list: Pick<UseInfiniteQueryResult, 'hasNextPage' | 'isFetchingNextPage' | 'fetchNextPage'>
  label?: string
  className?: string
}

/** The next page of a list, where there is one. */
export function ShowMore({ list, label = 'Show more', className = 'py-2' }: ShowMoreProps) {
  if (!list.hasNextPage) return null
  return (
    <Button
      kind="link"
      className={className}
      disabled={list.isFetchingNextPage}
      onClick={() => void list.fetchNextPage()}
    >
      {label}
    </Button>
  )
}
