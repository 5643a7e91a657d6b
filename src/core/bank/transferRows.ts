/** The account to which buyers transfer, as they see it: by its IBAN, or by what its country has instead. */
export interface TransferAccount {
  holder: string
  /** In groups of four; empty of an account without one. */
  iban: string
  accountNumber: string
  /** The bank's code, and what its country calls it. */
  bankCode: string
  bankCodeName: string
  /** BIC, or another code by which banks abroad know it. */
  bic: string
  /** Whatever else is needed, such as the bank's name and address. */
  lines: string
  reference: string
}

/** What each row of a transfer is called. */
export interface TransferWords {
  amount: string
  to: string
  iban: string
  account: string
  bankCode: string
  bic: string
  otherCode: string
  bank: string
  reference: string
}

/** Returns the rows that a buyer copies into a transfer; empty ones are left out. @param amount as it is written. */
export function transferRows(
  amount: string,
  account: TransferAccount,
  words: TransferWords,
): [label: string, value: string][] {
  const { holder, iban, accountNumber, bankCode, bankCodeName, bic, lines, reference } = account
  const rows: [string, string][] = [
    [words.amount, amount],
    [words.to, holder],
    [words.iban, iban],
    [words.account, accountNumber],
    [bankCodeName || words.bankCode, bankCode],
    [iban === '' ? words.otherCode : words.bic, bic],
    [words.bank, lines],
    [words.reference, reference],
  ]
  return rows.filter(([, value]) => value !== '')
}
