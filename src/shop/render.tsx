import { renderToString } from 'react-dom/server'
import type { ShopPage, ShopViewName } from '../server/client.ts'
import LearnPage from './access/LearnPage.tsx'
import MyPage from './access/MyPage.tsx'
import CoursePage from './catalogue/CoursePage.tsx'
import NoticePage from './catalogue/NoticePage.tsx'
import SchoolPage from './catalogue/SchoolPage.tsx'
import CheckoutPage from './checkout/CheckoutPage.tsx'
import ThanksPage from './checkout/ThanksPage.tsx'
import PlanPage from './collecting/PlanPage.tsx'
import EmailPage from './people/EmailPage.tsx'
import PasswordPage from './people/PasswordPage.tsx'
import SignInPage from './people/SignInPage.tsx'
import { ShopFrame } from './ShopFrame.tsx'
import { Taken } from './Taken.tsx'
import type { ViewComponent } from './views.ts'

const VIEWS = {
  school: SchoolPage,
  course: CoursePage,
  checkout: CheckoutPage,
  thanks: ThanksPage,
  my: MyPage,
  plan: PlanPage,
  learn: LearnPage,
  'sign-in': SignInPage,
  password: PasswordPage,
  email: EmailPage,
  notice: NoticePage,
} as Record<ShopViewName, ViewComponent>

/** The markup of a page, as the browser will take it over. */
export function renderShop(page: ShopPage): string {
  const View = VIEWS[page.view.name]
  return renderToString(
    <Taken>
      <ShopFrame page={page}>
        <View page={page} view={page.view} />
      </ShopFrame>
    </Taken>,
  )
}
