/** One of several choices, with what is to be known of it below. */
export function Choice({
  name,
  label,
  hint,
  checked,
  onChoose,
}: {
  name: string
  label: string
  hint?: string
  checked: boolean
  onChoose: () => void
}) {
  return (
    <div>
      <label className="flex items-center gap-2">
        <input type="radio" name={name} className="size-4 shrink-0 accent-post" checked={checked} onChange={onChoose} />
        {label}
      </label>
      {hint && <p className="pl-6 text-[13px] text-ink-2">{hint}</p>}
    </div>
  )
}

/** What may be wished or not, with what is to be known of it below. */
export function Tick({
  label,
  hint,
  checked,
  onChange,
}: {
  label: string
  hint?: string
  checked: boolean
  onChange: (on: boolean) => void
}) {
  return (
    <div>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 shrink-0 accent-post"
          checked={checked}
          onChange={(e) => onChange(e.target.checked)}
        />
        {label}
      </label>
      {hint && <p className="pl-6 text-[13px] text-ink-2">{hint}</p>}
    </div>
  )
}
