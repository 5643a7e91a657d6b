import { isValidBIC, isValidIBAN } from 'ibantools'
import * as v from 'valibot'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { TransferSettings } from '../db/schema/index.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { makeRoom, readConnection, writeConnection } from './service.ts'

const text = (most: number, missing: string) =>
  v.pipe(v.string(), v.trim(), v.nonEmpty(missing), v.maxLength(most, `Use at most ${most} characters.`))
const bare = v.transform((written: string) => written.replace(/\s/g, '').toUpperCase())

/** Territories whose banks are named by a code of their own, while their IBANs carry their country's. */
const TERRITORIES: Record<string, readonly string[]> = {
  FR: ['GF', 'GP', 'MQ', 'RE', 'YT', 'PM', 'BL', 'MF', 'NC', 'PF', 'WF', 'TF'],
  GB: ['IM', 'JE', 'GG'],
}

/** Whether a BIC and an IBAN are of one country (ISO 9362 and ISO 13616 both hold it). */
function isOfOneCountry(iban: string, bic: string): boolean {
  const country = iban.slice(0, 2)
  const bank = bic.slice(4, 6)
  return bank === country || (TERRITORIES[country] ?? []).includes(bank)
}

/** The account by its IBAN. */
const ibanAccount = {
  account: v.literal('iban'),
  iban: v.pipe(
    v.string(),
    bare,
    v.nonEmpty('Write the account’s IBAN.'),
    v.check((iban) => isValidIBAN(iban), 'This IBAN is mistyped: its check digits do not fit.'),
  ),
  bic: v.pipe(
    v.string(),
    bare,
    v.check((bic) => bic === '' || isValidBIC(bic), 'A BIC has 8 or 11 letters and figures. You may leave it out.'),
  ),
}

const short = v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40, 'Use at most 40 characters.')), '')

/** The account in a country without IBANs, by what is usual there. */
const otherAccount = {
  account: v.literal('other'),
  accountNumber: text(40, 'Write the account number.'),
  /** The bank's code, and what its country calls it. */
  bankCode: short,
  bankCodeName: short,
  /** BIC or another code. */
  bic: short,
}

const common = {
  title: text(60, 'Write a name, like “Bank transfer”.'),
  description: v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.')),
  instructions: v.pipe(v.string(), v.trim(), v.maxLength(1000, 'Use at most 1,000 characters.')),
  // The QR code holds at most 70 letters of it (EPC069-12).
  holder: text(70, 'Write the account holder.'),
  /** Whatever else buyers need, such as the bank's name and address. */
  lines: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.')), ''),
  /** For so many days an order waits for its transfer. */
  waitDays: v.optional(
    v.pipe(
      v.number('Write days as a figure.'),
      v.integer('Write whole days.'),
      v.minValue(1, 'An order waits for at least one day.'),
      v.maxValue(90, 'An order waits for at most 90 days.'),
    ),
    14,
  ),
  displace: v.optional(v.boolean(), false),
}

/** What a creator writes for who pays by bank transfer. */
export const transferSchema = v.variant('account', [
  v.pipe(
    v.object({ ...common, ...otherAccount }),
    v.transform((written) => ({ ...written, iban: '' })),
  ),
  v.pipe(
    v.object({ ...common, ...ibanAccount }),
    v.forward(
      v.check(
        ({ iban, bic }) => !isValidBIC(bic) || !isValidIBAN(iban) || isOfOneCountry(iban, bic),
        'This BIC is of another country than the IBAN. You may leave the BIC out.',
      ),
      ['bic'],
    ),
  ),
])

/** Sets bank transfer up in a mode, or changes what is told. */
export async function setTransfer(
  services: Services,
  mode: Mode,
  { displace, account: _account, ...transfer }: TransferSettings & { displace: boolean; account?: 'iban' | 'other' },
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const known = await readConnection(tx, mode, BANK_TRANSFER_ID)
    if (!known || known.pausedAt)
      await makeRoom(services, mode, { adapter: BANK_TRANSFER_ID, standsAlone: false }, displace)
    await writeConnection(services, mode, BANK_TRANSFER_ID, known?.id ?? crypto.randomUUID(), known !== null, {
      account: transfer.iban || (transfer.accountNumber ?? ''),
      accountName: transfer.holder,
      transfer,
      // There is no key: nothing is asked of anybody.
      secret: '',
      secretEnds: '',
      signingSecret: '',
      verifiedAt: services.now(),
      pausedAt: null,
    })
  })
}
