import './shop.css'

// What every page of the shop does, whatever the browser takes over of it.

// A page that comes back from the browser's memory may show an old price or an old state.
addEventListener('pageshow', (event) => {
  if (event.persisted) location.reload()
})

// A page that waits for something looks again by itself.
const waiting = document.querySelector<HTMLElement>('[data-reload-ms]')
if (waiting) setTimeout(() => location.reload(), Number(waiting.dataset.reloadMs))
