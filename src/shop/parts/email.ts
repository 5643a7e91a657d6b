import { EmailSheet } from '../people/EmailSheet.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('email', EmailSheet)
