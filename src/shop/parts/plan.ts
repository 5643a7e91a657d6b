import { PlanSheet } from '../collecting/PlanSheet.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('plan', PlanSheet)
