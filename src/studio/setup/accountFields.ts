/** What a bank's code is called in countries whose accounts have no IBAN. */
const BANK_CODES: Record<string, string> = {
  AR: 'CBU',
  AU: 'BSB',
  CA: 'Institution and transit number',
  CL: 'Bank',
  CO: 'Bank code',
  HK: 'Bank code',
  ID: 'Bank code',
  IN: 'IFSC',
  JP: 'Bank and branch code',
  KE: 'Bank and branch code',
  KR: 'Bank code',
  MX: 'Bank',
  MY: 'Bank code',
  NG: 'Bank code',
  NZ: 'Bank and branch code',
  PH: 'Bank code',
  SG: 'Bank code',
  TH: 'Bank code',
  TW: 'Bank code',
  US: 'Routing number',
  VN: 'Bank code',
  ZA: 'Branch code',
}

/** What the bank's code is called in a country without IBANs; null of one that has them, or is not known here. */
export function bankCodeIn(country: string): string | null {
  return BANK_CODES[country] ?? null
}
