import { expect, it } from 'vitest'
import { violations } from './layers.ts'

it.each([
  ['src/core/a.ts', "import { b } from '../server/b.ts'", 1],
  ['src/server/x/a.ts', "import { b } from '../../core/b.ts'", 0],
  ['src/standins/a.ts', "import type { b } from '../core/b.ts'", 1],
  ['src/shop/a.ts', "import type { Api } from '../server/client.ts'", 0],
  ['src/shop/a.ts', "import { Api } from '../server/client.ts'", 1],
  ['src/studio/a.ts', "import type { B } from '../server/app.ts'", 1],
  ['src/ui/a.tsx', "import {\n  x,\n  y,\n} from '../studio/b.ts'", 1],
  ['src/shop/a.ts', "const load = () => import('../studio/b.ts')", 1],
  ['src/server/checkout/a.ts', "import { b } from '../school/b.ts'", 0],
  ['src/server/checkout/a.ts', "import { b } from './b.ts'", 0],
  ['src/server/school/a.ts', "import type { b } from '../checkout/b.ts'", 1],
  ['src/server/events/a.ts', "import { b } from '../app.ts'", 1],
  ['src/server/app.ts', "import { b } from './events/b.ts'", 0],
  ['src/server/school/a.test.ts', "import { b } from '../checkout/b.ts'", 0],
])('%s: %s', (path, source, count) => {
  expect(violations(path, source)).toHaveLength(count)
})

it('a new folder of the server is entered at its height', () => {
  expect(() => violations('src/server/new/a.ts', "import { b } from '../db/b.ts'")).toThrow('SERVER_FOLDERS')
})
