import { useId, useState, type ReactNode } from 'react'
import { lengthText, parseLength, parseThickness, thicknessText, unitName, useUnits } from './units'

export const FIELD = 'min-h-11 border border-ink/40 bg-white px-2 text-ink'

/**
 * A length in the user's units; "1/8 in" or "3 mm" may be typed in either. What is no length is put
 * back.
 */
export function LengthField({
  label,
  mm,
  onChange,
  width = 'w-24',
  className = '',
  disabled = false,
  hint,
}: {
  label: ReactNode
  mm: number
  onChange: (mm: number) => void
  width?: string
  className?: string
  disabled?: boolean
  hint?: string | undefined
}) {
  const { system } = useUnits()
  return (
    <TypedField
      label={label}
      text={lengthText(mm, system)}
      read={(text) => parseLength(text, system)}
      onChange={onChange}
      after={unitName(system)}
      width={width}
      className={className}
      disabled={disabled}
      hint={hint}
    />
  )
}

/**
 * Told with each letter that makes it a sound value, not only when it is left; and where what is
 * typed first goes.
 */
interface Eager {
  live?: boolean
  focus?: boolean
}

/**
 * A thickness in the user's units; "6 oz" or "2.3 mm" may be typed in either. Empty while it is not
 * known.
 */
export function ThicknessField({
  label,
  mm,
  onChange,
  least = 0.1,
  most = 15,
  width = 'w-24',
  live = false,
  focus = false,
}: {
  label: ReactNode
  mm: number | undefined
  onChange: (mm: number) => void
  least?: number
  most?: number
  width?: string
} & Eager) {
  const { system } = useUnits()
  const read = (text: string) => {
    const found = parseThickness(text, system)
    return found !== null && found >= least && found <= most ? found : null
  }
  return (
    <TypedField
      label={label}
      text={mm === undefined ? '' : thicknessText(mm, system)}
      read={read}
      onChange={onChange}
      after={system === 'metric' ? 'mm' : 'oz'}
      width={width}
      className=""
      disabled={false}
      live={live}
      focus={focus}
    />
  )
}

/** A plain number, empty while it is not known; `after` is its unit. */
export function NumberField({
  label,
  value,
  onChange,
  after = '',
  least = -Infinity,
  most = Infinity,
  width = 'w-24',
  className = '',
  disabled = false,
  live = false,
  focus = false,
}: {
  label: ReactNode
  value: number | undefined
  onChange: (value: number) => void
  after?: string
  least?: number
  most?: number
  width?: string
  className?: string
  disabled?: boolean
} & Eager) {
  const read = (text: string) => {
    const found = Number(text.replace(',', '.'))
    return text.trim() !== '' && Number.isFinite(found) && found >= least && found <= most
      ? found
      : null
  }
  return (
    <TypedField
      label={label}
      text={value === undefined ? '' : String(Number(value.toFixed(3)))}
      read={read}
      onChange={onChange}
      after={after}
      width={width}
      className={className}
      disabled={disabled}
      live={live}
      focus={focus}
    />
  )
}

interface Typed extends Eager {
  label: ReactNode
  text: string
  read: (text: string) => number | null
  onChange: (value: number) => void
  after: string
  width: string
  className: string
  disabled: boolean
  hint?: string | undefined
}

function TypedField({
  label,
  text,
  read,
  onChange,
  after,
  width,
  className,
  disabled,
  hint,
  live = false,
  focus = false,
}: Typed) {
  const id = useId()
  const [typed, setTyped] = useState<string | null>(null)
  const keep = () => {
    const value = typed === null || typed === text ? null : read(typed)
    setTyped(null)
    if (value !== null) onChange(value)
  }
  const write = (to: string) => {
    setTyped(to)
    const value = live ? read(to) : null
    if (value !== null) onChange(value)
  }
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] text-ink-soft">
        {label}
      </label>
      <span className="flex items-center gap-1.5">
        <input
          id={id}
          className={`${FIELD} ${width} text-right`}
          inputMode="decimal"
          autoFocus={focus}
          value={typed ?? text}
          disabled={disabled}
          onChange={(e) => {
            write(e.target.value)
          }}
          onBlur={keep}
          onKeyDown={(e) => {
            if (e.key === 'Enter') keep()
            if (e.key === 'Escape') setTyped(null)
          }}
        />
        <span className="text-sm text-ink-soft">{after}</span>
      </span>
      {hint && <span className="block max-w-[240px] text-[13px] text-ink-soft">{hint}</span>}
    </div>
  )
}

/**
 * Words; told when they are done, or with each letter where they are `live`. What is `known` is
 * offered while one types.
 */
export function TextField({
  label,
  value,
  onChange,
  className = '',
  disabled = false,
  long = false,
  live = false,
  known = [],
  most,
}: {
  label: ReactNode
  value: string
  onChange: (text: string) => void
  className?: string
  disabled?: boolean
  long?: boolean
  live?: boolean
  known?: readonly string[]
  most?: number
}) {
  const id = useId()
  const [own, setOwn] = useState<string | null>(null)
  const typed = live ? value : (own ?? value)
  const setTyped = live ? onChange : setOwn
  const keep = () => {
    if (!live && own !== null && own !== value) onChange(own)
    setOwn(null)
  }
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] text-ink-soft">
        {label}
      </label>
      {long ? (
        <textarea
          id={id}
          className={`${FIELD} w-full py-2`}
          rows={2}
          value={typed}
          disabled={disabled}
          onChange={(e) => {
            setTyped(e.target.value)
          }}
          onBlur={keep}
        />
      ) : (
        <input
          id={id}
          className={`${FIELD} w-full`}
          maxLength={most}
          list={known.length ? `${id}known` : undefined}
          value={typed}
          disabled={disabled}
          onChange={(e) => {
            setTyped(e.target.value)
          }}
          onBlur={keep}
          onKeyDown={(e) => {
            if (e.key === 'Enter') keep()
          }}
        />
      )}
      {known.length > 0 && (
        <datalist id={`${id}known`}>
          {known.map((words) => (
            <option key={words} value={words} />
          ))}
        </datalist>
      )}
    </div>
  )
}

export function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
  className = '',
  disabled = false,
}: {
  label: ReactNode
  value: T
  options: readonly (readonly [T, string])[]
  onChange: (value: T) => void
  className?: string
  disabled?: boolean
}) {
  const id = useId()
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] text-ink-soft">
        {label}
      </label>
      <select
        id={id}
        className={`${FIELD} w-full`}
        value={value}
        disabled={disabled}
        onChange={(e) => {
          onChange(e.target.value as T)
        }}
      >
        {options.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </div>
  )
}

export function Tick({
  label,
  checked,
  onChange,
  disabled = false,
}: {
  label: ReactNode
  checked: boolean
  onChange: (on: boolean) => void
  disabled?: boolean
}) {
  return (
    <label className="flex min-h-11 items-center gap-2.5">
      <input
        type="checkbox"
        className="size-5 shrink-0"
        checked={checked}
        disabled={disabled}
        onChange={(e) => {
          onChange(e.target.checked)
        }}
      />{' '}
      {label}
    </label>
  )
}
