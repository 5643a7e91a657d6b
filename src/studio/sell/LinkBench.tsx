import { useMemo, useState } from 'react'
import { qrPath } from '../../core/qr/qrPath.ts'
import { Button } from '../../ui/Button.tsx'
import { copyText } from '../frame/copyText.ts'

/** The link that opens the checkout with this offer chosen: to copy, and as a QR code. */
export function LinkBench({ slug, offerId, isLive }: { slug: string; offerId: string; isLive: boolean }) {
  const [showsCode, setShowsCode] = useState(false)
  const url = `${location.origin}/buy/${slug}?offer=${offerId}`
  const copy = () => copyText(url)
  return (
    <>
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-[5px]">
        <a href={url} target="_blank" rel="noreferrer" className="link min-w-0 truncate">
          {url.replace(/^https?:\/\//, '').replace(/(offer=.{8}).*/, '$1…')}
        </a>
        <Button kind="link" onClick={copy}>
          Copy
        </Button>
        <Button kind="link" aria-expanded={showsCode} onClick={() => setShowsCode(!showsCode)}>
          {showsCode ? 'Hide the QR code' : 'QR code'}
        </Button>
        {!isLive && <span className="text-[13px] text-ink-3">It works once the offer is on sale.</span>}
      </p>
      {showsCode && <QrCode text={url} />}
    </>
  )
}

/** Draws an SVG as PNG, 1200 pixels wide, and saves it. */
async function savePng(svg: string) {
  const picture = new Image(1200, 1200)
  picture.src = `data:image/svg+xml,${encodeURIComponent(svg)}`
  await picture.decode()
  const canvas = Object.assign(document.createElement('canvas'), { width: 1200, height: 1200 })
  canvas.getContext('2d')?.drawImage(picture, 0, 0, 1200, 1200)
  const link = Object.assign(document.createElement('a'), { download: 'link.png', href: canvas.toDataURL('image/png') })
  link.click()
}

/** A QR code drawn as SVG, with its quiet zone, and a picture to keep. */
export function QrCode({ text, label = 'QR code of the direct link' }: { text: string; label?: string }) {
  const { side, path } = useMemo(() => qrPath(text), [text])
  const size = side + 8
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${size} ${size}" width="600" height="600" shape-rendering="crispEdges"><path fill="#fff" d="M0 0h${size}v${size}H0z"/><path transform="translate(4 4)" d="${path}"/></svg>`
  return (
    <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-1.5 text-[13.5px]">
      <svg
        viewBox={`0 0 ${size} ${size}`}
        role="img"
        aria-label={label}
        className="size-[150px] rounded border border-line bg-white"
        shapeRendering="crispEdges"
      >
        <path transform="translate(4 4)" d={path} fill="#000" />
      </svg>
      <a
        className="link text-[13.5px]"
        download="direct-link.svg"
        href={`data:image/svg+xml,${encodeURIComponent(svg)}`}
      >
        Save as SVG
      </a>
      <Button kind="link" onClick={() => void savePng(svg)}>
        Save as PNG
      </Button>
    </div>
  )
}
