import { takeOver } from '../takeOver.tsx'
import { UpsellForm } from '../upsell/UpsellForm.tsx'

takeOver('upsell', UpsellForm)
