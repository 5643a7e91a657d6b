import type { Dice } from '../dice.ts'

/** A JSON Schema, as far as the API's description uses it. */
export interface Schema {
  type?: string
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  anyOf?: Schema[]
  oneOf?: Schema[]
  enum?: unknown[]
  const?: unknown
  format?: string
  minimum?: number
  maximum?: number
  maxItems?: number
}

/** Texts that somebody types, pastes or sends to break something. */
export const ODD_TEXTS: readonly string[] = [
  '',
  ' ',
  '\0',
  'a\0b',
  '\ud800',
  'x\udfff',
  '\u202Eright to left',
  '🧵🪡',
  '__proto__',
  'constructor',
  "' or 1=1 --",
  '<script>alert(1)</script>',
  '=1+1',
  '../../etc/passwd',
  '%00',
  '%s%n',
  '-',
  'null',
  '1e999',
  '2027-02-30',
  '9999-12-31',
  '0000-00-00',
  '2027-01-01T00:00:00Z',
  'ſ'.repeat(40),
  'W'.repeat(5000),
  '-'.repeat(36),
  '9999-99-99|------------------------------------',
]

/** Numbers at and beyond the ends of what is held. */
const ODD_NUMBERS: readonly number[] = [
  0,
  -0,
  -1,
  1.5,
  2_147_483_647,
  2_147_483_648,
  -2_147_483_649,
  9_007_199_254_740_991,
  2 ** 53,
  1e21,
  1e300,
  Number.MIN_VALUE,
]

/**
 * A value for a schema, mostly as it asks for, now and then as nobody would send it. `known` are ids that exist.
 * @param isValid always as it asks for.
 */
export function valueFor(schema: Schema, dice: Dice, known: readonly string[], isValid = false, depth = 0): unknown {
  if (!isValid && dice.chance(0.12)) return oddValue(dice)
  const choices = schema.anyOf ?? schema.oneOf
  if (choices && choices.length > 0) return valueFor(dice.pick(choices), dice, known, isValid, depth)
  if ('const' in schema) return schema.const
  if (schema.enum) return dice.pick(schema.enum)
  switch (schema.type) {
    case 'object':
      return objectFor(schema, dice, known, isValid, depth)
    case 'array':
      return Array.from({ length: dice.about(1.5) }, () =>
        valueFor(schema.items ?? {}, dice, known, isValid, depth + 1),
      )
    case 'integer':
    case 'number':
      return !isValid && dice.chance(0.3)
        ? dice.pick(ODD_NUMBERS)
        : Math.max(schema.minimum ?? 0, Math.floor(dice.roll() * Math.min(schema.maximum ?? 5000, 5000)))
    case 'boolean':
      return dice.chance(0.5)
    case 'null':
      return null
    case 'string':
      return textFor(schema, dice, known, isValid)
    default:
      return isValid ? 'x' : oddValue(dice)
  }
}

function objectFor(
  schema: Schema,
  dice: Dice,
  known: readonly string[],
  isValid: boolean,
  depth: number,
): Record<string, unknown> {
  const made: Record<string, unknown> = {}
  for (const [name, of] of Object.entries(schema.properties ?? {})) {
    const isRequired = schema.required?.includes(name) ?? false
    if ((isValid && isRequired) || dice.chance(isRequired ? 0.97 : 0.5)) {
      made[name] = valueFor(of, dice, known, isValid, depth + 1)
    }
  }
  if (isValid) return made
  if (dice.chance(0.05)) Object.defineProperty(made, '__proto__', { value: { polluted: true }, enumerable: true })
  if (dice.chance(0.03)) made[dice.pick(ODD_TEXTS)] = 1
  return made
}

function textFor({ format }: Schema, dice: Dice, known: readonly string[], isValid: boolean): string {
  const ids = known.filter((one) => /^[0-9a-f-]{36}$/.test(one))
  if (isValid && format === 'uuid') return dice.pick(ids)
  if (format === 'uuid') return dice.chance(0.8) ? dice.pick(known) : dice.pick(ODD_TEXTS)
  if (format === 'email') return `fuzz${Math.floor(dice.roll() * 30)}@post.example`
  if (!isValid && dice.chance(0.35)) return dice.pick(ODD_TEXTS)
  return dice.pick([...known, 'EUR', '2027-03-31', 'thistle', 'Some words', '1|2', 'practice', '12'])
}

function oddValue(dice: Dice): unknown {
  return dice.pick<() => unknown>([
    () => null,
    () => [],
    () => ({}),
    () => true,
    () => dice.pick(ODD_NUMBERS),
    () => dice.pick(ODD_TEXTS),
    () => nested(60),
    () => Array.from({ length: 2000 }, () => 0),
  ])()
}

function nested(depth: number): unknown {
  let value: unknown = 0
  for (let level = 0; level < depth; level++) value = [value]
  return value
}
