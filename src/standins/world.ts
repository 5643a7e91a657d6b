/** How the simulated world misbehaves; all off is good weather. Set in the console. */
export interface World {
  /** Milliseconds before every answer to the product. */
  slowMs: number
  /** Every call is answered with 503, and nothing is done. */
  down: boolean
  /** The one provider that is down; empty: none in particular. */
  downAt: string
  /** Payments are done, but the answer is never sent. */
  answersLost: boolean
  /** Payments and refunds are done, but the answer ends in its middle. */
  answersHalved: boolean
  /** Seconds before an event is sent. */
  eventsLateSeconds: number
  eventsDoubled: boolean
  eventsLost: boolean
  /** Two events at a time are sent in the wrong order. */
  eventsReordered: boolean
}

export const GOOD_WEATHER: World = {
  slowMs: 0,
  down: false,
  downAt: '',
  answersLost: false,
  answersHalved: false,
  eventsLateSeconds: 0,
  eventsDoubled: false,
  eventsLost: false,
  eventsReordered: false,
}
