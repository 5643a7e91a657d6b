/** The names between braces in a text: "{money} for {course}" has "money" and "course". */
type NamesIn<T extends string> = T extends `${string}{${infer Name}}${infer Rest}` ? Name | NamesIn<Rest> : never

/** A text for each plural form that a language has, chosen by {count}; every language has `other`. */
export type Plural = { readonly [form in Exclude<Intl.LDMLPluralRule, 'other'>]?: string } & { readonly other: string }

/** What is said to people: a text with {names} to be filled in, or one for each plural form. */
export type Message = string | Plural

type TextOf<M extends Message> = M extends string ? M : Extract<M[keyof M], string>
type Counted<M extends Message> = M extends string ? object : { count: number }

/** What a message is filled in with: each of its names, and what its plural form hangs on. */
export type ValuesOf<M extends Message> = Record<Exclude<NamesIn<TextOf<M>>, 'count'>, string | number> & Counted<M>

const LANGUAGE = 'en'
const plurals = new Intl.PluralRules(LANGUAGE)

/**
 * A message of the catalogue, filled in. Values are put in as they are: whoever makes HTML of it escapes it there.
 * @throws RangeError where a name has no value, which the types refuse already.
 * @example say('The minimum is {money}.', { money: '€4.00' }) // 'The minimum is €4.00.'
 * @example say({ one: '{count} lesson', other: '{count} lessons' }, { count: 1 }) // '1 lesson'
 */
export function say<const M extends Message>(message: M, values: ValuesOf<M>): string {
  const given = values as Record<string, string | number>
  const text = typeof message === 'string' ? message : textFor(message, given.count as number)
  return text.replace(/\{(\w+)\}/g, (_, name: string) => {
    const value = given[name]
    if (value === undefined) throw new RangeError(`“${text}” needs ${name}.`)
    return String(value)
  })
}

function textFor(message: Plural, count: number): string {
  return message[plurals.select(count)] ?? message.other
}
