import { UploadCloud } from 'lucide-react'
import { useRef, useState } from 'react'
import { ServiceError } from '../../shared/api/client'
import { bytes } from '../../shared/lib/format'
import { inboxPath, upload, type IfThere } from './upload'

type Item = {
  file: File
  path: string
  sent: number
  state: 'sending' | 'there' | 'asks' | 'failed' | 'skipped'
  message?: string
}

/** Takes files that are dropped or picked into a folder of the inbox, each with its progress. */
export function DropFiles({ onDone }: { onDone: (paths: string[]) => void }) {
  const [folder, setFolder] = useState('uploads')
  const [items, setItems] = useState<Item[]>([])
  const [over, setOver] = useState(false)
  const picker = useRef<HTMLInputElement>(null)

  const change = (path: string, part: Partial<Item>) =>
    setItems((all) => all.map((i) => (i.path === path ? { ...i, ...part } : i)))

  async function send(file: File, path: string, ifThere: IfThere): Promise<string | undefined> {
    change(path, { state: 'sending', sent: 0, message: undefined })
    try {
      const at = await upload(file, path, ifThere, (sent) => change(path, { sent }))
      change(path, {
        state: at ? 'there' : 'skipped',
        sent: file.size,
        message: at && at !== path ? `as ${at}` : undefined,
      })
      return at
    } catch (e) {
      const asks = e instanceof ServiceError && e.code === 'already-there'
      change(path, { state: asks ? 'asks' : 'failed', message: e instanceof Error ? e.message : 'failed' })
      return undefined
    }
  }

  async function take(files: FileList | null) {
    const fresh = [...(files ?? [])].map((file) => ({ file, path: inboxPath(folder, file.name) }))
    setItems((all) => [
      ...all.filter((i) => !fresh.some((f) => f.path === i.path)),
      ...fresh.map((f) => ({ ...f, sent: 0, state: 'sending' as const })),
    ])
    const done: string[] = []
    for (const f of fresh) {
      const at = await send(f.file, f.path, 'ask')
      if (at) {
        done.push(at)
      }
    }
    if (done.length > 0) {
      onDone(done)
    }
  }

  async function again(item: Item, ifThere: IfThere) {
    const at = await send(item.file, item.path, ifThere)
    if (at) {
      onDone([at])
    }
  }

  return (
    <div className="p-3">
      <label className="mb-2 flex items-center gap-2">
        Folder in the inbox
        <input
          className="input input-sm w-64 font-mono"
          value={folder}
          onChange={(e) => setFolder(e.target.value)}
        />
      </label>
      <div
        className={`flex flex-col items-center gap-2 rounded border-2 border-dashed p-6 ${over ? 'border-primary bg-base-200' : 'border-base-300'}`}
        onDragOver={(e) => {
          e.preventDefault()
          setOver(true)
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault()
          setOver(false)
          void take(e.dataTransfer.files)
        }}
      >
        <UploadCloud aria-hidden />
        <p>Drop files here</p>
        <button type="button" className="btn btn-sm" onClick={() => picker.current?.click()}>
          Pick files
        </button>
        <input
          ref={picker}
          type="file"
          multiple
          hidden
          aria-label="Files"
          onChange={(e) => void take(e.target.files)}
        />
      </div>
      {items.length > 0 && (
        <table className="ledger mt-3">
          <tbody>
            {items.map((i) => (
              <tr key={i.path}>
                <td className="font-mono text-[0.9em]">{i.path}</td>
                <td className="num">{bytes(i.file.size)}</td>
                <td className="w-96 whitespace-nowrap">
                  {i.state === 'sending' && (
                    <progress
                      className="progress progress-primary w-56"
                      value={i.sent}
                      max={Math.max(1, i.file.size)}
                      aria-label={`Sending ${i.path}`}
                    />
                  )}
                  {i.state === 'there' && <span>in the inbox {i.message}</span>}
                  {i.state === 'skipped' && <span className="quiet">skipped</span>}
                  {i.state === 'failed' && <span style={{ color: 'var(--set-aside)' }}>{i.message}</span>}
                  {i.state === 'asks' && (
                    <span className="flex items-center gap-2">
                      is there already:
                      {(['replace', 'keep-both', 'skip'] as const).map((w) => (
                        <button key={w} type="button" className="btn btn-xs" onClick={() => void again(i, w)}>
                          {w.replace('-', ' ')}
                        </button>
                      ))}
                    </span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
