import { ResendLink } from '../people/ResendLink.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('resend', ResendLink)
