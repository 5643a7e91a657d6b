import { startStandins } from '../../src/testing/standins.ts'

/**
 * The stand-ins in a process of their own, as they are in life, for whoever forked it: tells where they are, and as
 * many tokens of a card that pays as were asked for.
 */
const standins = await startStandins()
// Their events have nowhere to go here, and would be sent again and again.
standins.world.eventsLost = true
const { id, keys } = standins.account
const tokens = Array.from({ length: Number(process.argv[2]) }, () => standins.tokenOf('pays'))
process.send?.({ origin: standins.origin, account: id, secret: keys.practice, tokens })
// Whoever forked it has gone.
process.on('disconnect', () => process.exit())
