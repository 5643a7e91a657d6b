/** The parts of a checkout page, where its creator wrote no heading of their own. */
export const PARTS = {
  gets: 'What you get',
  lessons: 'What you get',
  courses: 'What you get',
  basket: 'What you order',
  testimonials: 'What buyers say',
  guarantee: { one: 'Your money back within {count} day', other: 'Your money back within {count} days' },
  guaranteePlain: 'Guarantee',
  badge: { one: '{count} day', other: '{count} days' },
  questions: 'Questions and answers',
  prices: 'Choose how you pay',
  choose: 'Choose',
  chosen: 'Recommended',
  teacher: 'About the teacher',
  countdownSale: 'The sale price ends on {moment}.',
  countdownPage: 'On sale until {moment}.',
  countdownCode: 'The code is valid until {moment}.',
  days: { one: '{count} day', other: '{count} days' },
  hours: { one: '{count} hour', other: '{count} hours' },
  minutes: { one: '{count} minute', other: '{count} minutes' },
  left: '{time} left',
  play: 'Play: {title}',
  playVideo: 'Play the video',
  video: 'Video',
} as const

/** What a price table compares, row by row. */
export const PRICE_ROWS = {
  today: 'Today',
  later: 'Later',
  inAll: 'In all',
  access: 'Access',
  untilCancelled: 'as long as you stay',
} as const
