import { lazy, Suspense, useCallback, useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { useAddress } from '../../shared/lib/address'
import { time } from '../../shared/lib/format'
import { Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { Sure } from '../../shared/ui/Sure'
import { BlockView } from './BlockView'
import { Choices } from './Choices'
import { chosenWith, fromAddress, toAddress, without, type Chosen, type Value } from './model'
import { useRefresh, useRemoveSampler, useSampler } from './queries'

const SamplerText = lazy(() => import('./SamplerText'))

/** One name has one colour on the whole page, in the order in which names first come up. */
function useColours(): (series: string) => number {
  const known = useRef(new Map<string, number>())
  return useCallback((series: string) => {
    const at = known.current.get(series) ?? known.current.size
    known.current.set(series, at)
    return at
  }, [])
}

export default function SamplerPage() {
  const name = useParams().name ?? ''
  const stored = useSampler(name)
  useRefresh(name, stored.data?.refreshesAt)
  const [search, change] = useAddress()
  const [writes, setWrites] = useState(false)
  const [draft, setDraft] = useState<{ text: string; page?: NonNullable<typeof stored.data>['page'] }>()
  const colourOf = useColours()
  const remove = useRemoveSampler()
  const navigate = useNavigate()
  if (stored.isPending) {
    return (
      <Page title={name}>
        <Loading what="the sampler" />
      </Page>
    )
  }
  if (stored.error) {
    return (
      <Page title={name}>
        <Failed error={stored.error} />
      </Page>
    )
  }
  const page = draft?.page ?? stored.data.page
  const source = draft?.page ? { text: draft.text } : { sampler: name }
  const chosen: Chosen = page ? fromAddress(page, search) : {}
  const go = (page: Schemas['SamplerPage'], next: (chosen: Chosen) => Chosen) =>
    change((now) => toAddress(page, next(fromAddress(page, now))))
  const choose = (choices: [string, Value][]) =>
    page && go(page, (now) => choices.reduce((c, [column, value]) => chosenWith(page, c, column, value), now))
  const drop = (column: string, value?: Value) => page && go(page, (now) => without(page, now, column, value))
  return (
    <Page
      crumb={<Link to="/samplers">Samplers</Link>}
      title={page?.title ?? name}
      aside={
        <span className="flex flex-wrap items-center gap-2 print:hidden">
          <span className="quiet">
            v{stored.data.summary.version}, saved {time(stored.data.summary.savedAt)} by{' '}
            {stored.data.summary.savedBy}
            {stored.data.refreshesAt && `; refreshed next ${time(stored.data.refreshesAt)}`}
          </span>
          <button
            type="button"
            className="btn btn-sm"
            aria-pressed={writes}
            onClick={() => setWrites(!writes)}
          >
            Text
          </button>
          <button
            type="button"
            className="btn btn-sm"
            title="The address holds all that is chosen"
            onClick={() => void navigator.clipboard.writeText(location.href)}
          >
            Copy the address
          </button>
          <button type="button" className="btn btn-sm" title="To paper, or to a PDF" onClick={() => print()}>
            Print
          </button>
          <Sure
            label="Remove"
            again={`Remove ${name}?`}
            disabled={remove.isPending}
            onSure={() => remove.mutate(name, { onSuccess: () => void navigate('/samplers') })}
          />
        </span>
      }
    >
      {remove.error && <Failed error={remove.error} />}
      {page?.about && <p className="quiet -mt-3 mb-3">{page.about}</p>}
      {writes && (
        <Suspense fallback={<Loading what="the text" />}>
          <SamplerText
            name={name}
            kept={stored.data.text}
            version={stored.data.summary.version}
            onDraft={setDraft}
          />
        </Suspense>
      )}
      {!page ? (
        <Empty>The text of this sampler has errors. Open its text to see them.</Empty>
      ) : (
        <>
          <Choices
            page={page}
            source={source}
            chosen={chosen}
            onChoose={(column, value) => choose([[column, value]])}
            onDrop={drop}
          />
          <div className="sampler-grid">
            {page.blocks.map((b) => (
              <BlockView
                key={b.name}
                block={b}
                source={source}
                version={stored.data.summary.version}
                chosen={chosen}
                colourOf={colourOf}
                onChoose={choose}
              />
            ))}
          </div>
        </>
      )}
    </Page>
  )
}
