import type { ComponentType } from 'react'
import type { ShopPage, ShopView, ShopViewName } from '../server/client.ts'

/** A page of the shop; each takes the view of its own name, which the server chose. */
export type ViewComponent = ComponentType<{ page: ShopPage; view: ShopView }>

type Load = () => Promise<{ default: unknown }>

const LOADERS: Record<ShopViewName, Load> = {
  school: () => import('./catalogue/SchoolPage.tsx'),
  course: () => import('./catalogue/CoursePage.tsx'),
  checkout: () => import('./checkout/CheckoutPage.tsx'),
  thanks: () => import('./checkout/ThanksPage.tsx'),
  my: () => import('./access/MyPage.tsx'),
  plan: () => import('./collecting/PlanPage.tsx'),
  learn: () => import('./access/LearnPage.tsx'),
  'sign-in': () => import('./people/SignInPage.tsx'),
  password: () => import('./people/PasswordPage.tsx'),
  email: () => import('./people/EmailPage.tsx'),
  notice: () => import('./catalogue/NoticePage.tsx'),
}

/** Loads the one page that is shown; the others cost nothing. */
export async function loadView(name: ShopViewName): Promise<ViewComponent> {
  return (await LOADERS[name]()).default as ViewComponent
}
