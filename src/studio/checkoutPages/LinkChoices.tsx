import { useState } from 'react'
import { buyButton } from '../../core/checkoutPages/buyButton.ts'
import { CARD } from '../../core/words/en/card.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { copyText } from '../frame/copyText.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { QrCode } from '../sell/LinkBench.tsx'
import type { BenchPage } from '../sell/queries.ts'
import { linkTo } from './linkTo.ts'
import { ownOffers } from './ownOffers.ts'

/** Ways to the page from elsewhere: its link with what that fills in, a QR code, a button for any site. */
export function LinkChoices({ page }: { page: BenchPage }) {
  const [offer, setOffer] = useState('')
  const [code, setCode] = useState('')
  const [from, setFrom] = useState('')
  const [words, setWords] = useState('')
  const [name, setName] = useState('')
  const [email, setEmail] = useState('')
  const own = ownOffers(page)
  const href = linkTo(`${location.origin}/buy/${page.slug}`, { offer, code, from, name, email })
  const html = buyButton({ href, words: words.trim() || CARD.enrol })
  return (
    <>
      <h2 className="mb-3 text-[16px]">Links and buttons</h2>
      {!page.live && <p className="mb-3 text-[13.5px] text-ink-2">They work once the page is published.</p>}
      <PreviewSection label="Link">
        <p className="rounded-field border border-line bg-sheet px-2.5 py-2 text-[13px] [overflow-wrap:anywhere]">
          {href}
        </p>
        <p className="mt-1.5 flex gap-4 text-[13.5px]">
          <Button kind="link" onClick={() => copyText(href)}>
            Copy
          </Button>
          {page.live && (
            <a className="link" href={href} target="_blank" rel="noreferrer">
              Open
            </a>
          )}
        </p>
      </PreviewSection>
      <div className="mb-5 grid gap-3">
        {own.length > 1 && (
          <Field label="With an offer chosen">
            {(wiring) => (
              <Select
                wiring={wiring}
                className={BOX_INPUT}
                value={offer}
                options={[['', 'As the page says'], ...own.map(({ id, content }) => [id, content.name] as const)]}
                onChange={setOffer}
              />
            )}
          </Field>
        )}
        <Field label="With a code">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={40}
              value={code}
              onChange={(event) => setCode(event.target.value)}
            />
          )}
        </Field>
        <Field label="Where its visitors come from" hint="Kept with the order, like “newsletter march”.">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={100}
              value={from}
              onChange={(event) => setFrom(event.target.value)}
            />
          )}
        </Field>
        <Field label="Buyer’s name" hint="Or your newsletter’s placeholder for it, like {name}.">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={100}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <Field label="Buyer’s email" hint="Or its placeholder, like {email}.">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={100}
              value={email}
              onChange={(event) => setEmail(event.target.value)}
            />
          )}
        </Field>
      </div>
      <PreviewSection label="QR code">
        <QrCode text={href} label="QR code of the link" />
      </PreviewSection>
      <PreviewSection label="Button for any site">
        <Field label="Its words" className="mb-2">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={60}
              placeholder={CARD.enrol}
              value={words}
              onChange={(event) => setWords(event.target.value)}
            />
          )}
        </Field>
        {/* In a frame of its own, as on any other site; it may do nothing there. */}
        <iframe
          title="The button as it looks elsewhere"
          sandbox=""
          srcDoc={html}
          className="h-[76px] w-full rounded-field border border-line bg-white"
        />
        <textarea
          readOnly
          aria-label="HTML of the button"
          rows={4}
          className="mt-2 w-full rounded-field border border-line-2 bg-sheet px-2 py-1.5 font-mono text-[11.5px]"
          value={html}
        />
        <Button kind="link" onClick={() => copyText(html)}>
          Copy the HTML
        </Button>
      </PreviewSection>
    </>
  )
}
