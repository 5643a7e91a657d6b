import { connect, createServer, type Socket } from 'node:net'

/** A way between two programs that can be made to fail as networks do. */
export interface TcpProxy {
  port: number
  /** What goes through the connections that are open now arrives nowhere from here on, and nobody is told. */
  silence: () => void
  /** Resets every connection, and refuses new ones while `isAway`. */
  cut: (isAway: boolean) => void
  /** So many connections are open. */
  open: () => number
  close: () => Promise<void>
}

/** Listens on a free port of loopback, and hands everything on to another. */
export async function tcpProxy(target: { host: string; port: number }): Promise<TcpProxy> {
  const pairs = new Set<{ near: Socket; far: Socket; isSilent: boolean }>()
  let isAway = false
  const server = createServer((near) => {
    if (isAway) return near.resetAndDestroy()
    const far = connect(target)
    const pair = { near, far, isSilent: false }
    pairs.add(pair)
    const end = () => {
      pairs.delete(pair)
      near.destroy()
      far.destroy()
    }
    for (const [from, to] of [
      [near, far],
      [far, near],
    ] as const) {
      from.on('data', (bytes) => {
        if (!pair.isSilent) to.write(bytes)
      })
      from.on('error', end)
      // A silent network tells nobody that the other end has gone.
      from.on('close', () => {
        if (!pair.isSilent || from === near) end()
      })
    }
  })
  await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening))
  return {
    port: (server.address() as { port: number }).port,
    silence: () => {
      for (const pair of pairs) pair.isSilent = true
    },
    cut: (away) => {
      isAway = away
      for (const { near, far } of [...pairs]) {
        near.resetAndDestroy()
        far.destroy()
      }
    },
    open: () => pairs.size,
    close: () =>
      new Promise((closed) => {
        for (const { near, far } of [...pairs]) {
          near.destroy()
          far.destroy()
        }
        server.close(() => closed())
      }),
  }
}
