import { PICTURE_WIDTHS } from '../core/content/pictureWidths.ts'

/** Wider than any stored picture: the widest there is. */
const WIDEST = 1600

/** Where a stored picture is that is at least so wide, in pixels, as far as it was kept so wide. */
export function pictureAddress(id: string, width: number): string {
  return `/pictures/${id}/${width}`
}

/** The widths of a stored picture among which a browser chooses: an `img`'s source. @param width its own, where known. */
export function pictureSource(id: string, width = WIDEST): { src: string; srcSet: string } {
  const widths = [...PICTURE_WIDTHS.filter((one) => one < width), width]
  return {
    src: pictureAddress(id, 800),
    srcSet: widths.map((one) => `${pictureAddress(id, one)} ${one}w`).join(', '),
  }
}
