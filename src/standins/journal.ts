import { appendFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs'
import { dirname } from 'node:path'

/**
 * A stand-in's own store: entries appended to a file, a line each, and read back at start. A line
 * is written before the answer leaves, so that a killed stand-in still knows what it did.
 */
export class Journal<Entry> {
  constructor(private readonly file: string | null) {
    if (file) mkdirSync(dirname(file), { recursive: true })
  }

  /** All entries written before, oldest first. A last line cut off by a crash is left out. */
  read(): Entry[] {
    if (!this.file || !existsSync(this.file)) return []
    const entries: Entry[] = []
    for (const line of readFileSync(this.file, 'utf8').split('\n')) {
      if (!line) continue
      try {
        entries.push(JSON.parse(line) as Entry)
      } catch {
        console.error(`stand-in: a damaged line in ${this.file} was left out`)
      }
    }
    return entries
  }

  write(entry: Entry): void {
    if (this.file) appendFileSync(this.file, `${JSON.stringify(entry)}\n`)
  }
}
