import { CheckoutForm } from '../checkout/CheckoutForm.tsx'
import { takeOver } from '../takeOver.tsx'

takeOver('checkout', CheckoutForm)
