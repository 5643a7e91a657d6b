import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** Sends a buyer a new link to set their password. */
export function useSendPasswordLink({ id, email }: { id: string; email: string }) {
  return useMutation({
    mutationFn: () => unwrap(api.people[':id']['password-link'].$post({ param: { id } })),
    onSuccess: () => toast(`A link to set a password is on its way to ${email}.`),
  })
}
