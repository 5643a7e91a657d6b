import { formatMoney } from '../../core/money/format.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import type { ApiError } from '../../ui/problem.ts'
import { Select } from '../frame/Select.tsx'
import { countryNames, currencyNames, timeZones } from './choices.ts'
import { LANGUAGES } from './languages.ts'
import type { SchoolForm } from './schoolForm.ts'

interface SchoolFieldsProps {
  form: SchoolForm
  set: (patch: Partial<SchoolForm>) => void
  error: ApiError | null
  /** Where the school stands in what is sent: `/school`, or nothing. */
  at: string
  /** Why the currency can no longer be changed. */
  currencyLocked?: string | undefined
}

/** The fields of a school, at set-up and later. */
export function SchoolFields({ form, set, error, at, currencyLocked }: SchoolFieldsProps) {
  const money = { currency: form.currency, language: form.language, leaveOutZeros: form.leaveOutZeros }
  return (
    <>
      <Field label="Name of the school" error={error?.at(`${at}/name`)} className="sm:col-span-2">
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            value={form.name}
            maxLength={100}
            onChange={(event) => set({ name: event.target.value })}
          />
        )}
      </Field>
      <Choice
        label="Country"
        value={form.country}
        options={form.country ? countryNames() : [['', 'Choose a country'], ...countryNames()]}
        onChange={(country) => set({ country })}
        error={error?.at(`${at}/country`)}
      />
      <Choice
        label="Time zone"
        value={form.timeZone}
        options={form.timeZone ? timeZones(form.timeZone) : [['', 'Choose a time zone'], ...timeZones('')]}
        onChange={(timeZone) => set({ timeZone })}
        error={error?.at(`${at}/timeZone`)}
      />
      <Choice
        label="Currency"
        value={form.currency}
        options={currencyNames(form.currency)}
        onChange={(currency) => set({ currency })}
        error={error?.at(`${at}/currency`)}
        hint={currencyLocked}
        disabled={currencyLocked !== undefined}
      />
      <Choice
        label={`Money is written ${formatMoney(129900, money)}`}
        value={form.language}
        options={LANGUAGES.map(({ tag, name }) => [tag, name])}
        onChange={(language) => set({ language: language as SchoolForm['language'] })}
        error={error?.at(`${at}/language`)}
      />
      <Choice
        label="Tax"
        value={form.taxMode}
        options={[
          ['inclusive', 'Inside the prices'],
          ['exclusive', 'On top of the prices'],
          ['none', 'No tax'],
        ]}
        onChange={(taxMode) => set({ taxMode: taxMode as SchoolForm['taxMode'] })}
      />
      {form.taxMode !== 'none' && (
        <Field label="Rate in per cent" error={error?.at(`${at}/taxRate`)}>
          {(wiring) => (
            <input
              {...wiring}
              inputMode="decimal"
              className={BOX_INPUT}
              value={form.taxRate}
              onChange={(event) => set({ taxRate: event.target.value })}
            />
          )}
        </Field>
      )}
      <label className="flex items-center gap-2 sm:col-span-2">
        <input
          type="checkbox"
          className="accent-leaf"
          checked={form.leaveOutZeros}
          onChange={(event) => set({ leaveOutZeros: event.target.checked })}
        />
        Leave out decimals that are all zero: {formatMoney(12900, { ...money, leaveOutZeros: true })} instead of{' '}
        {formatMoney(12900, { ...money, leaveOutZeros: false })}
      </label>
    </>
  )
}

interface ChoiceProps {
  label: string
  value: string
  options: readonly (readonly [string, string])[]
  onChange: (value: string) => void
  error?: string | undefined
  hint?: string | undefined
  disabled?: boolean
}

function Choice({ label, value, options, onChange, error, hint, disabled = false }: ChoiceProps) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(wiring) => (
        <Select
          wiring={wiring}
          className={BOX_INPUT}
          value={value}
          disabled={disabled}
          options={options}
          onChange={onChange}
        />
      )}
    </Field>
  )
}
