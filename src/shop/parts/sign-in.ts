import { SignInSheet } from '../people/SignInSheet.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('sign-in', SignInSheet)
