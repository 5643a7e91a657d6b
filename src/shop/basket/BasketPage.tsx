import { formatMoney } from '../../core/money/format.ts'
import { formatTitles } from '../../core/sentence/words.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { say } from '../../core/words/message.ts'
import type { BasketLineView, BasketView, ShopPage } from '../../server/client.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { pictureAddress } from '../../ui/pictures.ts'
import { Sheet } from '../Sheet.tsx'

/** What somebody is about to buy: plain forms, so that it works before, and without, any script. */
export default function BasketPage({ page, view }: { page: ShopPage; view: BasketView }) {
  const { lines, today, hasLater, link } = view
  const stopped = lines.filter(({ problem, isTakenOut }) => problem && !isTakenOut).map(({ card }) => card.title)
  return (
    <Sheet>
      <h1 className="text-[28px] md:text-[34px]">{BASKET.title}</h1>
      {lines.length === 0 ? (
        <>
          <p className="mt-3 mb-5 text-ink-2">{BASKET.empty}</p>
          <a href="/" className={buttonClass('press')}>
            {BASKET.toShop}
          </a>
        </>
      ) : (
        <div className="mt-5 grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_320px]">
          <ul className="min-w-0 border-t border-line">
            {lines.map((line) => (
              <li key={line.productId} className="border-b border-line py-4">
                {line.isTakenOut ? <TakenOut line={line} /> : <Line line={line} page={page} view={view} />}
              </li>
            ))}
          </ul>
          <aside className="self-start">
            {today !== null && (
              <section className="rounded-lg border border-line bg-sheet-2 px-4 py-3.5">
                <p className="flex items-baseline justify-between gap-3 text-[17px] font-semibold">
                  {BASKET.today}
                  <span className="display">{formatMoney(today, page.school)}</span>
                </p>
                {stopped.length > 0 && (
                  <p className="mt-1 text-[13.5px]">{say(BASKET.without, { titles: formatTitles(stopped) })}</p>
                )}
                {hasLater && <p className="mt-1 text-[13.5px] text-ink-2">{BASKET.later}</p>}
                <a href="/buy/basket" className={buttonClass('press', 'mt-3 w-full py-3 text-center')}>
                  {BASKET.checkout}
                </a>
              </section>
            )}
            <p className="mt-3 text-[13.5px] text-ink-2">{page.visitor ? BASKET.keptSignedIn : BASKET.kept}</p>
            {link && (
              <details className="mt-3 text-[13.5px]">
                <summary className="link w-fit cursor-pointer">{BASKET.link}</summary>
                <p className="mt-1.5 text-ink-2">{BASKET.linkHint}</p>
                <input
                  readOnly
                  aria-label={BASKET.link}
                  value={link}
                  className="mt-1.5 w-full rounded-field border border-line-2 bg-sheet px-2 py-1.5"
                />
                <p className="mt-1.5">
                  <a
                    className="link"
                    href={`mailto:?${new URLSearchParams({ subject: say(BASKET.mailSubject, { school: page.school.name }), body: link }).toString().replaceAll('+', '%20')}`}
                  >
                    {BASKET.mail}
                  </a>
                </p>
              </details>
            )}
          </aside>
        </div>
      )}
    </Sheet>
  )
}

function TakenOut({ line: { productId, card } }: { line: BasketLineView }) {
  return (
    <form method="post" action="/basket/put-back" className="flex flex-wrap items-baseline gap-x-4 text-ink-2">
      <input type="hidden" name="product" value={productId} />
      <span className="min-w-0 flex-1">{say(BASKET.takenOut, { title: card.title })}</span>
      <Button type="submit" kind="link">
        {BASKET.putBack}
        <span className="sr-only"> {card.title}</span>
      </Button>
    </form>
  )
}

function Line({ line, page, view }: { line: BasketLineView; page: ShopPage; view: BasketView }) {
  const { productId, card, offerId, offer, price, was, problem, warnings, choices, ownPrice } = line
  const isWrong = view.wrong?.productId === productId
  const others = choices.filter(({ id }) => id !== offerId)
  const isChosen = choices.some(({ id }) => id === offerId)
  return (
    <div className="grid grid-cols-[84px_minmax(0,1fr)] gap-x-4 max-sm:grid-cols-1">
      <div className={classes('h-[60px] overflow-hidden rounded-[6px] max-sm:hidden', COVER_CLASS[card.coverColor])}>
        {card.coverId && <img src={pictureAddress(card.coverId, 320)} alt="" className="size-full object-cover" />}
      </div>
      <div className="min-w-0">
        <div className="flex flex-wrap items-baseline justify-between gap-x-4">
          <h2 className={classes('min-w-0 text-[18px]', problem && 'text-ink-2')}>
            <a href={`/${card.kind}/${card.slug}`} className="hover:underline">
              {card.title}
            </a>
          </h2>
          <b className="ml-auto text-right font-semibold">{price}</b>
        </div>
        {offer && <p className="text-ink-2">{offer}</p>}
        {was && <p className="mt-1 text-late">{say(BASKET.was, { price: was })}</p>}
        {problem && (
          <p className="mt-1 rounded-field bg-late-soft px-3 py-2">
            {problem} {choices.length === 0 || isChosen ? BASKET.notOrdered : ''}
          </p>
        )}
        {warnings.map((warning) => (
          <p key={warning} className="mt-1 rounded-field bg-late-soft px-3 py-2">
            {warning}
          </p>
        ))}
        <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-2">
          {(others.length > 0 || ownPrice) && (
            <form
              method="post"
              action="/basket/change"
              className="flex max-w-full min-w-0 flex-wrap items-end gap-x-2 gap-y-1.5"
            >
              <input type="hidden" name="product" value={productId} />
              {others.length > 0 ? (
                <select
                  name="offer"
                  aria-label={say(BASKET.howYouPay, { title: card.title })}
                  defaultValue={isChosen ? offerId : undefined}
                  className="w-full max-w-[300px] min-w-0 rounded-field border border-line-2 bg-sheet px-2 py-1.5"
                >
                  {choices.map((choice) => (
                    <option key={choice.id} value={choice.id}>
                      {choice.name}: {choice.price}
                    </option>
                  ))}
                </select>
              ) : (
                <input type="hidden" name="offer" value={offerId} />
              )}
              {ownPrice && (
                <input
                  name="price"
                  inputMode="decimal"
                  maxLength={20}
                  aria-label={say(BASKET.yourPrice, { title: card.title, currency: page.school.currency })}
                  aria-invalid={isWrong}
                  aria-describedby={isWrong ? `wrong-${productId}` : undefined}
                  defaultValue={isWrong ? view.wrong?.typed : ownPrice.typed}
                  className="w-24 rounded-field border border-line-2 bg-sheet px-2 py-1.5"
                />
              )}
              <Button type="submit">
                {BASKET.change}
                <span className="sr-only"> {card.title}</span>
              </Button>
              {isWrong && ownPrice && (
                <p id={`wrong-${productId}`} role="alert" className="w-full text-[13.5px] font-medium text-failed">
                  {say(BASKET.priceWrong, { money: formatMoney(ownPrice.minimum, page.school) })}
                </p>
              )}
            </form>
          )}
          <form method="post" action="/basket/take-out" className="ml-auto">
            <input type="hidden" name="product" value={productId} />
            <Button type="submit" kind="link">
              {BASKET.takeOut}
              <span className="sr-only"> {card.title}</span>
            </Button>
          </form>
        </div>
      </div>
    </div>
  )
}
