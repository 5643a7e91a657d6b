import type { PartKind, Place } from '../../core/checkoutPages/parts.ts'
import type { PageState } from '../../core/checkoutPages/states.ts'

/** What each kind of part is called, and what it is for. */
export const PART_NAMES: Record<PartKind, readonly [name: string, what: string]> = {
  opening: ['Opening', 'Title and a sentence, on colour, a picture or plain.'],
  logo: ['Logo', 'Your school’s own.'],
  text: ['Text', 'Paragraphs, headings and lists.'],
  picture: ['Picture', 'With a caption if you like.'],
  video: ['Video', 'It plays when it is pressed.'],
  gets: ['What you get', 'Up to eight lines.'],
  lessons: ['Lessons', 'The titles, always up to date.'],
  testimonials: ['Testimonials', 'What buyers say.'],
  guarantee: ['Guarantee', 'Money back within so many days.'],
  questions: ['Questions and answers', 'What people ask before they buy.'],
  prices: ['Price table', 'Your offers side by side.'],
  teacher: ['About the teacher', 'Who is behind it.'],
  countdown: ['Countdown', 'Counts down to the end of a sale, a code or the page.'],
  divider: ['Divider', 'A stitched line.'],
}

export const PLACE_NAMES: Record<Place, string> = { above: 'Above', beside: 'Beside it', below: 'Below' }

export const STATE_NAMES: Record<PageState, string> = {
  first: 'First visit',
  known: 'Known buyer',
  owned: 'Already bought',
  declined: 'Card declined',
  free: 'Free',
  code: 'With a code',
  saleOver: 'Sale over',
  pageOver: 'Page over',
  noMethod: 'No payment method',
}
