/**
 * How a server of HTTP listens. An idle connection is kept for longer than clients and proxies keep theirs (a minute,
 * commonly): where the server ends it first, a request that is just being sent over it is lost.
 */
export const SERVER_OPTIONS = { keepAliveTimeout: 75_000 }
