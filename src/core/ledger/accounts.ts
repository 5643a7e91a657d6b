/** The names of the ledger's accounts (selling rules, section 7), in the syntax of plain-text accounting. */

/** The school's own account at its bank. */
export const BANK = 'assets:bank'
/** Value added tax of what was received, owed to the state. */
export const VAT = 'liabilities:vat'
/** Parts of a transfer whose order is not complete yet. */
export const PREPAID = 'liabilities:prepaid'
/** Money that buyers sent beyond what they owe, and will get back. */
export const OVERPAID = 'liabilities:overpaid'
/** Sales whose payers had their bank take the money back. */
export const DISPUTES = 'expenses:disputes'

/** What a gateway holds for the school; `method` is its adapter's id. */
export const atGateway = (method: string) => `assets:gateway:${method}`
/** What a gateway keeps of what it collects. */
export const feesOf = (method: string) => `expenses:fees:${method}`
/** What was earned with a product, without tax; `product` is its name in the books. */
export const salesOf = (product: string) => `income:sales:${product}`

/** Whether an account holds money that the school has, or had and paid a fee with. */
export function isMoney(account: string): boolean {
  return account.startsWith('assets:') || account.startsWith('expenses:fees:')
}
