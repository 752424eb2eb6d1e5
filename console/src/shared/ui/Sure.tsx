import { useState } from 'react'

/** A button that asks again before something goes. */
export function Sure({
  label,
  again,
  small = false,
  disabled = false,
  onSure,
}: {
  label: string
  /** What it says the second time. */
  again: string
  small?: boolean
  disabled?: boolean
  onSure: () => void
}) {
  const [asked, setAsked] = useState(false)
  return (
    <button
      type="button"
      className={`btn ${small ? 'btn-xs' : 'btn-sm'}`}
      disabled={disabled}
      onBlur={() => setAsked(false)}
      onClick={() => (asked ? onSure() : setAsked(true))}
    >
      {asked ? again : label}
    </button>
  )
}
