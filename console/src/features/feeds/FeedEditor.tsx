import { useEffect, useState } from 'react'
import { Editor } from '../../shared/ui/Editor'
import { Failed } from '../../shared/ui/parts'
import { withType } from './model'
import { PreviewPanel } from './PreviewPanel'
import { useFeedPreview } from './queries'

const PREVIEW_AFTER_MILLIS = 400

/** A feed's document, and beside it what it makes of one of its files while it is written. */
export function FeedEditor({ text, onChange }: { text: string; onChange: (text: string) => void }) {
  const [settled, setSettled] = useState(text)
  const [file, setFile] = useState<string>()
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), PREVIEW_AFTER_MILLIS)
    return () => clearTimeout(timer)
  }, [text])
  const preview = useFeedPreview(settled, file)
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3 p-3 md:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
      <div className="min-w-0">
        <Editor value={text} onChange={onChange} language="yaml" label="Feed document" height="560px" />
      </div>
      <div className="min-w-0">
        {preview.data && preview.data.files.length > 1 && (
          <select
            className="select select-sm mb-2 w-full font-mono"
            aria-label="File to look at"
            value={file ?? preview.data.file}
            onChange={(e) => setFile(e.target.value)}
          >
            {preview.data.files.map((f) => (
              <option key={f}>{f}</option>
            ))}
          </select>
        )}
        {preview.error ? (
          <Failed error={preview.error} />
        ) : (
          preview.data && (
            <PreviewPanel
              preview={preview.data}
              onType={(column, type) => onChange(withType(text, column, type))}
            />
          )
        )}
      </div>
    </div>
  )
}
