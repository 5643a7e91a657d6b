import { DrizzleQueryError } from 'drizzle-orm'

/**
 * An error as it is written to the log: what went wrong and where, without what people typed. Parameters of statements
 * are left out, and so are the words of PostgreSQL about bad data, which quote it.
 */
export function describeError(error: unknown): string {
  if (!(error instanceof Error)) return 'something that is no error was thrown'
  const stack = (error.stack ?? '').split('\n').filter((line) => /^\s+at /.test(line))
  return [headOf(error), ...stack, ...(error.cause ? [`caused by ${describeError(error.cause)}`] : [])].join('\n')
}

function headOf(error: Error): string {
  if (error instanceof DrizzleQueryError) return `a statement failed: ${error.query}`
  const { code, constraint } = error as { code?: unknown; constraint?: unknown }
  const isOfDatabase = typeof code === 'string' && /^[0-9A-Z]{5}$/.test(code)
  if (!isOfDatabase) return `${error.name}: ${error.message}`
  // Class 22 is bad data and class 23 a broken constraint; both quote values.
  const says = code.startsWith('22') || code.startsWith('23') ? '' : `: ${error.message}`
  return `PostgreSQL ${code}${constraint ? ` (${String(constraint)})` : ''}${says}`
}
