import pg from 'pg'

/** Deletes a database and all in it; nothing happens where there is none. */
export async function dropDatabase(url: string): Promise<void> {
  await asAdmin(url, (client, name) => client.query(`drop database if exists ${name} with (force)`))
}

/** Makes a database as a copy of `template`. */
export async function copyDatabase(url: string, template: string): Promise<void> {
  await asAdmin(url, (client, name) =>
    client.query(`create database ${name} template ${pg.escapeIdentifier(template)}`),
  )
}

async function asAdmin(url: string, run: (client: pg.Client, name: string) => Promise<unknown>) {
  const target = new URL(url)
  const name = pg.escapeIdentifier(decodeURIComponent(target.pathname.slice(1)))
  target.pathname = '/postgres'
  const client = new pg.Client({ connectionString: target.href })
  await client.connect()
  try {
    await run(client, name)
  } finally {
    await client.end()
  }
}
