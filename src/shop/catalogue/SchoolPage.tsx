import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { Finding, SchoolView, ShopPage, ShopProduct } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Spine } from '../../ui/Spine.tsx'
import { sayWith } from '../../ui/sayWith.ts'

/** The school's page: everything that is on sale, as books on shelves, in the creator's sections. */
export default function SchoolPage({ page, view }: { page: ShopPage; view: SchoolView }) {
  const { headline, intro, sections, finding } = view
  const hasTitles = sections.some(({ title }) => title !== '')
  return (
    <main className="mx-auto w-[1080px] max-w-[calc(100%-32px)] pt-6">
      <div className="grid items-end gap-x-[60px] gap-y-3 pb-7 md:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <h1 className="text-[32px] leading-[1.1] sm:text-[44px]">
          {headline || say(CATALOGUE.title, { school: page.school.name })}
        </h1>
        {intro && <p className="max-w-[46ch] text-[16px] text-ink-2">{intro}</p>}
      </div>
      {finding && <Find finding={finding} />}
      {sections.length === 0 &&
        (finding ? (
          <p className="border-t border-line-2 pt-5 text-ink-2">
            {sayWith(CATALOGUE.nothingFound, {
              all: (
                <a className="link" href="/">
                  {CATALOGUE.showAll}
                </a>
              ),
            })}
          </p>
        ) : (
          <p className="border-t border-line-2 pt-5 text-ink-2">{CATALOGUE.none}</p>
        ))}
      {sections.map(({ id, title, products }) => (
        <section
          key={id}
          className={classes(
            'border-t border-line-2 py-5',
            hasTitles && 'grid gap-x-5 gap-y-3 md:grid-cols-[176px_minmax(0,1fr)]',
          )}
        >
          {hasTitles && <h2 className="pt-1 text-[17px]">{title}</h2>}
          <ul className="grid gap-2.5">
            {products.map((product) => (
              <li key={`${product.kind} ${product.slug}`}>
                <Book product={product} />
              </li>
            ))}
          </ul>
        </section>
      ))}
    </main>
  )
}

function Book({ product }: { product: ShopProduct }) {
  return (
    <a
      href={`/${product.kind}/${product.slug}`}
      className="group flex overflow-hidden rounded-lg border border-line bg-sheet hover:border-ink-2"
    >
      <Spine colors={product.colors} className="w-3 flex-none" />
      <span className="flex min-w-0 flex-1 gap-x-6 gap-y-1 px-4 py-3 max-sm:flex-col sm:items-center">
        <span className="min-w-0 flex-1">
          <span className="display text-[17px] leading-tight font-semibold group-hover:underline group-hover:underline-offset-4">
            {product.title}
          </span>
          {product.sale && (
            <span className="ml-2.5 inline-block rounded-full border border-leaf px-2 text-[13px] font-medium text-leaf">
              {product.sale}
            </span>
          )}
          <span className="mt-0.5 block text-[14px] text-ink-2">{product.summary}</span>
        </span>
        <span className="flex-none sm:max-w-[320px] sm:text-right">
          <b className="font-semibold">{product.price}</b>
          {product.note && <span className="block text-[13.5px] text-ink-2">{product.note}</span>}
        </span>
      </span>
    </a>
  )
}

const FIELD = 'rounded-full border border-line-2 bg-sheet px-3 py-1.5'

/** Search, and what it is narrowed to: a plain form, so that it works without any code. */
function Find({ finding: { search, section, price, sections } }: { finding: Finding }) {
  return (
    <form method="get" action="/" role="search" className="flex flex-wrap items-center gap-2 pb-5 text-[14px]">
      <input
        type="search"
        name="search"
        aria-label={CATALOGUE.search}
        placeholder={CATALOGUE.search}
        defaultValue={search}
        maxLength={100}
        className={`${FIELD} min-w-0 flex-1 sm:max-w-[300px]`}
      />
      {sections.length > 0 && (
        <select name="section" aria-label={CATALOGUE.section} defaultValue={section} className={FIELD}>
          <option value="">{CATALOGUE.everySection}</option>
          {sections.map(({ id, title }) => (
            <option key={id} value={id}>
              {title}
            </option>
          ))}
        </select>
      )}
      <select name="price" aria-label={CATALOGUE.price} defaultValue={price} className={FIELD}>
        <option value="">{CATALOGUE.everyPrice}</option>
        <option value="free">{CATALOGUE.onlyFree}</option>
        <option value="paid">{CATALOGUE.onlyPaid}</option>
      </select>
      <button type="submit" className={buttonClass('quiet')}>
        {CATALOGUE.find}
      </button>
    </form>
  )
}
