import { toast } from 'sonner'

/** Puts a text onto the clipboard, and says so; also where the browser keeps that from pages. */
export async function copyText(text: string, said = 'Copied.'): Promise<void> {
  try {
    await navigator.clipboard.writeText(text)
    toast(said)
  } catch {
    toast.error('The browser does not let this page copy. Select the text and copy it yourself.')
  }
}
