import { QueryClientProvider } from '@tanstack/react-query'
import { lazy, type ReactNode, Suspense } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Navigate } from 'react-router'
import { RouterProvider } from 'react-router/dom'
import { queryClient } from './api.ts'
import { StudioFrame } from './frame/StudioFrame.tsx'
import { Waiting } from './frame/Waiting.tsx'
import { OrdersPage } from './orders/OrdersPage.tsx'
import { PeoplePage } from './people/PeoplePage.tsx'
import { BundleBenchPage } from './sell/BundleBench.tsx'
import { ComparePage } from './sell/ComparePage.tsx'
import { CouponBenchPage } from './sell/CouponBench.tsx'
import { CourseBenchPage } from './sell/CourseBench.tsx'
import { FrontBenchPage } from './sell/FrontBench.tsx'
import { OfferBenchPage } from './sell/OfferBench.tsx'
import { SellPage, SellStart } from './sell/SellPage.tsx'
import { emailTokenIn, NewEmail } from './session/NewEmail.tsx'
import { NewPassword, passwordTokenIn } from './session/NewPassword.tsx'
import { SetUp } from './session/SetUp.tsx'
import { SignIn } from './session/SignIn.tsx'
import { useSessionQuery } from './session/session.ts'
import { AccountPage } from './setup/AccountPage.tsx'
import { GatewaysPage } from './setup/GatewaysPage.tsx'
import { LivePage } from './setup/LivePage.tsx'
import { MessagesPage } from './setup/MessagesPage.tsx'
import { PracticePage } from './setup/PracticePage.tsx'
import { SchoolPage } from './setup/SchoolPage.tsx'
import './studio.css'

/** Fetched when they are opened: each brings a library of its own. */
const MoneyPage = lazy(() => import('./money/MoneyPage.tsx').then((module) => ({ default: module.MoneyPage })))
const PageBenchPage = lazy(() =>
  import('./checkoutPages/PageBench.tsx').then((module) => ({ default: module.PageBenchPage })),
)
const LookPage = lazy(() => import('./setup/LookPage.tsx').then((module) => ({ default: module.LookPage })))

const late = (page: ReactNode) => <Suspense fallback={<Waiting />}>{page}</Suspense>

const router = createBrowserRouter([
  {
    path: '/studio',
    Component: StudioFrame,
    children: [
      { index: true, element: <Navigate to="/studio/sell" replace /> },
      {
        path: 'sell',
        Component: SellPage,
        children: [
          { index: true, Component: SellStart },
          { path: 'courses/:id', Component: CourseBenchPage },
          { path: 'bundles/:id', Component: BundleBenchPage },
          { path: 'offers/:id', Component: OfferBenchPage },
          { path: 'front', Component: FrontBenchPage },
          { path: 'coupons/:id', Component: CouponBenchPage },
        ],
      },
      { path: 'sell/compare', Component: ComparePage },
      { path: 'sell/pages/:id', element: late(<PageBenchPage />) },
      { path: 'orders/:id?', Component: OrdersPage },
      { path: 'money', element: late(<MoneyPage />) },
      { path: 'people/:id?', Component: PeoplePage },
      { path: 'setup', element: <Navigate to="/studio/setup/gateways" replace /> },
      { path: 'setup/gateways', Component: GatewaysPage },
      { path: 'setup/messages', Component: MessagesPage },
      { path: 'setup/live', Component: LivePage },
      { path: 'setup/school', Component: SchoolPage },
      { path: 'setup/looks', element: late(<LookPage />) },
      { path: 'setup/practice', Component: PracticePage },
      { path: 'setup/account', Component: AccountPage },
      { path: '*', element: <Navigate to="/studio/sell" replace /> },
    ],
  },
])

/** Set-up, sign-in or the studio, by what the server says of this browser. */
function Studio() {
  const session = useSessionQuery()
  if (session.error)
    return (
      <main className="grid min-h-screen place-items-center">
        <p role="alert">{session.error.message}</p>
      </main>
    )
  if (!session.data) return null
  if (!session.data.isSetUp) return <SetUp imported={session.data.imported} />
  const token = passwordTokenIn(location.pathname)
  if (token) return <NewPassword token={token} />
  const emailToken = emailTokenIn(location.pathname)
  if (emailToken) return <NewEmail token={emailToken} />
  if (!session.data.creator) return <SignIn />
  return <RouterProvider router={router} />
}

createRoot(document.getElementById('app') as HTMLElement).render(
  <QueryClientProvider client={queryClient}>
    <Studio />
  </QueryClientProvider>,
)
