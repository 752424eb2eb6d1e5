/** Where words are typed that the rows of an answer are narrowed to. */
export function WordsField({ value, onType }: { value: string; onType: (words: string) => void }) {
  return (
    <input
      className="input input-sm w-52"
      type="search"
      aria-label="Show rows with"
      placeholder="rows with these words"
      value={value}
      onChange={(e) => onType(e.target.value)}
    />
  )
}
