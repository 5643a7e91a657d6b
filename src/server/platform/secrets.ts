import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { existsSync, linkSync, mkdirSync, readFileSync, unlinkSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'

/** Something was sealed with a key that is not here. */
class WrongKey extends Error {
  override name = 'WrongKey'
}

/**
 * Encrypts what must not be read from the database alone: AES-256-GCM, a fresh nonce each. The first key seals; older
 * ones only open, while what they sealed is sealed anew.
 */
export class Secrets {
  private readonly keys: readonly Buffer[]

  constructor(...keys: Buffer[]) {
    if (keys.length === 0 || keys.some((key) => key.length !== 32)) {
      throw new Error('A secret key must be 32 bytes, in base64.')
    }
    this.keys = keys
  }

  seal(text: string): string {
    const nonce = randomBytes(12)
    const cipher = createCipheriv('aes-256-gcm', this.keys[0] as Buffer, nonce)
    const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64')
  }

  /** @throws WrongKey where the text was sealed with another key, or changed. */
  open(sealed: string): string {
    for (const key of this.keys) {
      const text = openWith(key, sealed)
      if (text !== null) return text
    }
    throw new WrongKey('This was sealed with another key.')
  }

  canOpen(sealed: string): boolean {
    return this.keys.some((key) => openWith(key, sealed) !== null)
  }

  /** A mark for a browser that it cannot make itself, which says something about it. */
  mark(about: string): string {
    const nonce = randomBytes(12).toString('base64url')
    return `${nonce}.${signatureOf(this.keys[0] as Buffer, nonce, about)}`
  }

  /** Whether a mark was made by us, and says just this. */
  isMark(mark: string, about: string): boolean {
    const [nonce = '', signature = ''] = mark.split('.')
    const given = Buffer.from(signature)
    return this.keys.some((key) => {
      const right = Buffer.from(signatureOf(key, nonce, about))
      return right.length === given.length && timingSafeEqual(right, given)
    })
  }
}

function signatureOf(key: Buffer, nonce: string, about: string): string {
  return createHmac('sha256', key).update(`${nonce}\n${about}`).digest('base64url')
}

/** Null where the text was sealed with another key, or changed. */
function openWith(key: Buffer, sealed: string): string | null {
  const data = Buffer.from(sealed, 'base64')
  if (data.length < 28) return null
  const decipher = createDecipheriv('aes-256-gcm', key, data.subarray(0, 12))
  decipher.setAuthTag(data.subarray(12, 28))
  try {
    return Buffer.concat([decipher.update(data.subarray(28)), decipher.final()]).toString('utf8')
  } catch {
    return null
  }
}

/**
 * The key from `SECRET_KEY`, or from a file that is made at the first start, readable by its owner alone; and the older
 * ones of `OLD_SECRET_KEYS` or `old-secret.keys`, which only open.
 */
export function loadSecrets(dataDir: string, env: NodeJS.ProcessEnv = process.env): Secrets {
  const file = join(dataDir, 'secret.key')
  if (!env.SECRET_KEY && !existsSync(file)) {
    mkdirSync(dirname(file), { recursive: true })
    makeOnce(file, randomBytes(32).toString('base64'))
  }
  const current = env.SECRET_KEY ?? readFileSync(file, 'utf8')
  const oldFile = join(dataDir, 'old-secret.keys')
  const old = env.OLD_SECRET_KEYS ?? (existsSync(oldFile) ? readFileSync(oldFile, 'utf8') : '')
  const keys = [current, ...old.split(/[\s,]+/)].map((text) => text.trim()).filter((text) => text !== '')
  return new Secrets(...keys.map((text) => Buffer.from(text, 'base64')))
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
