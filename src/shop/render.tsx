import { renderToString } from 'react-dom/server'
import type { ShopPage, ShopView, ShopViewName } from '../server/client.ts'
import LearnPage from './access/LearnPage.tsx'
import MyPage from './access/MyPage.tsx'
import BasketPage from './basket/BasketPage.tsx'
import BundlePage from './catalogue/BundlePage.tsx'
import CoursePage from './catalogue/CoursePage.tsx'
import NoticePage from './catalogue/NoticePage.tsx'
import SchoolPage from './catalogue/SchoolPage.tsx'
import CheckoutPage, { OrderForm } from './checkout/CheckoutPage.tsx'
import ThanksPage from './checkout/ThanksPage.tsx'
import { PlanSheet } from './collecting/PlanSheet.tsx'
import { type PartComponent, partsIn, wholePart } from './Part.tsx'
import { EmailSheet } from './people/EmailSheet.tsx'
import { PasswordSheet } from './people/PasswordSheet.tsx'
import { SignInSheet } from './people/SignInSheet.tsx'
import ReceiptPage from './receipt/ReceiptPage.tsx'
import { ShopFrame } from './ShopFrame.tsx'
import UpsellPage from './upsell/UpsellPage.tsx'

/** A page of the shop; each takes the view of its own name, which the server chose. */
const VIEWS = {
  school: SchoolPage,
  course: CoursePage,
  bundle: BundlePage,
  checkout: CheckoutPage,
  basket: BasketPage,
  upsell: UpsellPage,
  thanks: ThanksPage,
  receipt: ReceiptPage,
  my: MyPage,
  plan: wholePart('plan', PlanSheet),
  learn: LearnPage,
  'sign-in': wholePart('sign-in', SignInSheet),
  password: wholePart('password', PasswordSheet),
  email: wholePart('email', EmailSheet),
  notice: NoticePage,
} as Record<ShopViewName, PartComponent<ShopView>>

/** The markup of a page, and the parts of it that the browser takes over: most pages have none, and load no code. */
export function renderShop(page: ShopPage): { markup: string; parts: string[] } {
  const View = VIEWS[page.view.name]
  const markup = renderToString(
    <ShopFrame page={page}>
      <View page={page} view={page.view} />
    </ShopFrame>,
  )
  return { markup, parts: partsIn(markup) }
}

/** The order form of a checkout page alone. @throws TypeError of any other page. */
export function renderForm(page: ShopPage): string {
  const { view } = page
  if (view.name !== 'checkout') throw new TypeError(`A page of the kind ${view.name} has no order form.`)
  return renderToString(<OrderForm page={page} view={view} />)
}
