/** The widths in which a picture is kept, in pixels, besides its own, which is 1600 at most. */
export const PICTURE_WIDTHS = [320, 480, 800, 1200] as const
