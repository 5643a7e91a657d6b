import { randomUUID } from 'node:crypto'
import { simpleParser } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { Journal } from '../journal.ts'

export interface Mail {
  id: string
  at: string
  from: string
  to: string
  subject: string
  text: string
  html: string
}

/** Takes every message that is sent over SMTP and keeps it to be read on a page. */
export class Mailbox {
  private readonly journal: Journal<Mail>
  private readonly mails: Mail[]
  private server: SMTPServer | null = null

  constructor(
    file: string | null,
    private readonly now: () => Date = () => new Date(),
  ) {
    this.journal = new Journal(file)
    this.mails = this.journal.read()
  }

  /** Newest first. */
  list(to?: string): Mail[] {
    return this.mails.filter((mail) => !to || mail.to === to).reverse()
  }

  find(id: string): Mail | undefined {
    return this.mails.find((mail) => mail.id === id)
  }

  /** Listens on loopback; resolves with the port. */
  listen(port: number): Promise<number> {
    const server = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      onData: (stream, _session, done) => {
        simpleParser(stream).then(
          (parsed) => {
            const to = Array.isArray(parsed.to) ? parsed.to[0] : parsed.to
            const mail: Mail = {
              id: randomUUID(),
              at: this.now().toISOString(),
              from: parsed.from?.text ?? '',
              to: to?.value[0]?.address ?? '',
              subject: parsed.subject ?? '',
              text: parsed.text ?? '',
              html: parsed.html || '',
            }
            this.journal.write(mail)
            this.mails.push(mail)
            done()
          },
          (error: Error) => done(error),
        )
      },
    })
    this.server = server
    return new Promise((resolve, reject) => {
      server.on('error', reject)
      const listening = server.listen(port, '127.0.0.1', () => {
        const address = listening.address()
        resolve(typeof address === 'object' && address ? address.port : port)
      })
    })
  }

  close(): Promise<void> {
    return new Promise((resolve) => (this.server ? this.server.close(resolve) : resolve()))
  }
}
