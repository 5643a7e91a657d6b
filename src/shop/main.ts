import { formatLeft } from '../core/checkoutPages/timeLeft.ts'
import './shop.css'

// What every page of the shop does, whatever the browser takes over of it.

// A page that comes back from the browser's memory may show an old price or an old state.
addEventListener('pageshow', (event) => {
  if (event.persisted) location.reload()
})

// A page that waits for something looks again by itself.
const waiting = document.querySelector<HTMLElement>('[data-reload-ms]')
if (waiting) setTimeout(() => location.reload(), Number(waiting.dataset.reloadMs))

// A video is loaded when it is pressed, and not before; its link leads to it where there is no script.
document.addEventListener('click', (event) => {
  const link = (event.target as Element).closest<HTMLAnchorElement>('a[data-video]')
  if (!link) return
  event.preventDefault()
  const video = Object.assign(document.createElement('video'), {
    src: link.href,
    controls: true,
    autoplay: true,
    playsInline: true,
    className: 'size-full rounded-lg bg-ink',
  })
  video.setAttribute('aria-label', link.ariaLabel ?? '')
  const { captions } = link.dataset
  if (captions) {
    const track = Object.assign(document.createElement('track'), { kind: 'captions', src: captions, default: true })
    video.append(track)
  }
  video.style.aspectRatio = link.style.aspectRatio
  link.replaceWith(video)
  video.focus()
})

// What counts down to an end does so while it is looked at; past its end the page is asked for anew.
for (const place of document.querySelectorAll<HTMLElement>('[data-until]')) {
  const until = place.dataset.until ?? ''
  // The server's clock may run ahead, as in Practice: what counts is how long ago the page was made.
  const ahead = Date.parse(place.dataset.at ?? '') - Date.now()
  const timer = setInterval(() => {
    const now = Date.now() + ahead
    place.textContent = formatLeft(until, new Date(now).toISOString())
    if (now < Date.parse(until)) return
    clearInterval(timer)
    // What is being typed is not taken away: pressing the button says what has ended.
    if (document.activeElement === document.body) location.reload()
  }, 15_000)
}
