import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto'
import { existsSync, linkSync, mkdirSync, readFileSync, unlinkSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'

/** Encrypts what must not be read from the database alone: AES-256-GCM, a fresh nonce each. */
export class Secrets {
  constructor(private readonly key: Buffer) {
    if (key.length !== 32) throw new Error('The secret key must be 32 bytes, base64.')
  }

  seal(text: string): string {
    const nonce = randomBytes(12)
    const cipher = createCipheriv('aes-256-gcm', this.key, nonce)
    const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64')
  }

  /** @throws where the text was sealed with another key, or changed. */
  open(sealed: string): string {
    const data = Buffer.from(sealed, 'base64')
    const decipher = createDecipheriv('aes-256-gcm', this.key, data.subarray(0, 12))
    decipher.setAuthTag(data.subarray(12, 28))
    return Buffer.concat([decipher.update(data.subarray(28)), decipher.final()]).toString('utf8')
  }
}

/** The key from `SECRET_KEY`, or from a file that is made at the first start, readable by its owner alone. */
export function loadSecrets(dataDir: string, env: NodeJS.ProcessEnv = process.env): Secrets {
  if (env.SECRET_KEY) return new Secrets(Buffer.from(env.SECRET_KEY, 'base64'))
  const file = join(dataDir, 'secret.key')
  if (!existsSync(file)) {
    mkdirSync(dirname(file), { recursive: true })
    makeOnce(file, randomBytes(32).toString('base64'))
  }
  return new Secrets(Buffer.from(readFileSync(file, 'utf8').trim(), 'base64'))
}

/**
 * Makes a file whole, or leaves the one that is there: server and worker may start together, and
 * neither may read a key that the other has only begun to write.
 */
function makeOnce(file: string, text: string): void {
  const own = `${file}.${process.pid}.${randomBytes(4).toString('hex')}`
  writeFileSync(own, text, { mode: 0o600 })
  try {
    linkSync(own, file)
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
  } finally {
    unlinkSync(own)
  }
}

/** A random secret for a link or cookie, and the hash under which it is kept. */
export function newToken(): { token: string; hash: string } {
  const token = randomBytes(24).toString('base64url')
  return { token, hash: hashToken(token) }
}

export function hashToken(token: string): string {
  return createHash('sha256').update(token).digest('base64url')
}
