import { PasswordSheet } from '../people/PasswordSheet.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('password', PasswordSheet)
