/** The name of a table that is written. */
export function TableName({
  label,
  value,
  example,
  onType,
}: {
  label: string
  value: string
  example: string
  onType: (name: string) => void
}) {
  return (
    <label className="mt-2 block">
      <span className="quiet block text-[0.86rem]">{label}, as namespace.name</span>
      <input
        className="input input-sm w-72 font-mono"
        value={value}
        placeholder={example}
        onChange={(e) => onType(e.target.value)}
      />
    </label>
  )
}
