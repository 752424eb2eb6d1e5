import { useEffect, useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { useDraft } from '../../shared/lib/draft'
import { time } from '../../shared/lib/format'
import { Editor } from '../../shared/ui/Editor'
import { Card, Failed } from '../../shared/ui/parts'
import { range } from '../pipelines/model'
import { useSamplerCheck, useSamplerVersion, useSamplerVersions, useSaveSampler } from './queries'

const CHECK_AFTER_MILLIS = 300

/** The document of a page; while it is changed, the page below shows what is written. */
export default function SamplerText({
  name,
  kept,
  version,
  onDraft,
}: {
  name: string
  kept: string
  version: number
  onDraft: (draft: { text: string; page?: Schemas['SamplerPage'] } | undefined) => void
}) {
  const { text, setText, basis, isChanged, saved } = useDraft({ text: kept, version })
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), CHECK_AFTER_MILLIS)
    return () => clearTimeout(timer)
  }, [text])
  const check = useSamplerCheck(settled)
  const save = useSaveSampler()
  const versions = useSamplerVersions(name)
  const older = useSamplerVersion()
  const checked = settled === text && !check.isPlaceholderData
  const page = checked ? check.data?.page : undefined
  useEffect(() => {
    if (page) {
      onDraft(isChanged ? { text, page } : undefined)
    }
  }, [page, text, isChanged, onDraft])
  const problems = check.data?.problems ?? []
  return (
    <Card
      title={
        <span className="flex flex-wrap items-center gap-2">
          Document
          <span className="quiet mr-auto font-sans text-sm font-normal" role="status">
            {!isChanged ? 'as it is kept' : problems.length === 0 ? 'the page shows what is written' : ''}
          </span>
          {(versions.data?.length ?? 0) > 1 && (
            <select
              className="select select-sm w-60 font-sans text-sm font-normal"
              aria-label="As it was"
              value=""
              onChange={(e) =>
                older.mutate(
                  { name, version: Number(e.target.value) },
                  { onSuccess: (then) => setText(then.text) },
                )
              }
            >
              <option value="">as it was…</option>
              {versions.data?.map((v) => (
                <option key={v.version} value={v.version}>
                  v{v.version}, {time(v.savedAt)} by {v.savedBy}
                </option>
              ))}
            </select>
          )}
          <button
            type="button"
            className="btn btn-sm font-sans"
            disabled={!isChanged || !checked || !check.data?.sound || save.isPending}
            onClick={() =>
              save.mutate(
                { name, text, basedOn: basis.version },
                {
                  onSuccess: (next) => {
                    saved({ text: next.text, version: next.summary.version })
                    onDraft(undefined)
                  },
                },
              )
            }
          >
            Save
          </button>
        </span>
      }
    >
      {save.error && <Failed error={save.error} />}
      {older.error && <Failed error={older.error} />}
      <Editor
        value={text}
        onChange={setText}
        language="yaml"
        label="The sampler's document"
        height="34vh"
        marks={
          checked
            ? problems.map((p) => ({
                ...range(text, p.place),
                severity: p.severity === 'error' ? ('error' as const) : ('warning' as const),
                message: p.message,
                fix: p.fix,
              }))
            : undefined
        }
      />
      {check.error && <Failed error={check.error} />}
      {problems.length > 0 && (
        <ul className="max-h-40 overflow-auto border-t border-base-300 px-3 py-2" aria-label="Problems">
          {problems.map((p, i) => (
            <li key={i}>
              <b style={{ color: 'var(--set-aside)' }}>{p.severity}</b>{' '}
              <span className="quiet">line {p.place.line}:</span> {p.message}
            </li>
          ))}
        </ul>
      )}
    </Card>
  )
}
