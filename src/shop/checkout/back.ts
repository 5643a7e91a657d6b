/** A page that is loaded anew has not come back from anywhere. */
export function forgetBack() {
  const url = new URL(location.href)
  if (!url.searchParams.has('back')) return
  url.searchParams.delete('back')
  history.replaceState(history.state, '', url)
}
