import { useMutation } from '@tanstack/react-query'
import { useNavigate } from 'react-router'
import type { CouponContent } from '../../core/content/coupon.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** Creates a coupon and opens it on the bench; it is for what is given, or (null) for everything. */
export function useNewCoupon() {
  const navigate = useNavigate()
  const { mutate } = useMutation({
    mutationFn: (appliesTo: CouponContent['appliesTo']) => unwrap(api.coupons.$post({ json: { appliesTo } })),
    onSuccess: ({ id }) => navigate(`/studio/sell/coupons/${id}`),
    meta: { invalidates: [['coupons']] },
  })
  return mutate
}
