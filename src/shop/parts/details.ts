import { Details } from '../people/Details.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('details', Details)
