import { toast } from 'sonner'
import { ApiError } from '../ui/problem.ts'

/**
 * Tells what the server refused, or that it does not answer, wherever no screen has a better place
 * for it: a button's act need not catch anything for its refusal to be seen.
 */
export function tellRefusals() {
  window.addEventListener('unhandledrejection', (event) => {
    if (!(event.reason instanceof ApiError)) return
    event.preventDefault()
    toast(event.reason.message)
  })
}
