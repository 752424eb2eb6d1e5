import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page, Tabs } from '../../shared/ui/parts'
import { RowsTable } from '../../shared/ui/RowsTable'
import { ProfileTable } from '../../shared/ui/ProfileTable'
import { CarePanel } from './CarePanel'
import { ColumnsPanel } from './ColumnsPanel'
import { FollowPanel } from './FollowPanel'
import { useTable, useTableProfile, useTableSample } from './queries'
import { SnapshotsPanel } from './SnapshotsPanel'
import { Files, Partitions } from './TableParts'

function Sample({ name }: { name: string }) {
  const sample = useTableSample(name)
  if (sample.isPending) {
    return <Loading what="rows" />
  }
  return sample.error ? <Failed error={sample.error} /> : <RowsTable result={sample.data} />
}

function Profile({ name }: { name: string }) {
  const profile = useTableProfile(name)
  if (profile.isPending) {
    return <Loading what="what its columns hold" />
  }
  return profile.error ? (
    <Failed error={profile.error} />
  ) : (
    <div className="max-h-[60vh] overflow-auto" tabIndex={0} role="region" aria-label={`Profile of ${name}`}>
      <ProfileTable profile={profile.data} />
    </div>
  )
}

const TABS = ['sample', 'profile', 'columns', 'follow a row', 'partitions', 'files', 'snapshots'] as const

export default function TablePage() {
  const name = useParams().name ?? ''
  const table = useTable(name)
  const [tab, setTab] = useState<(typeof TABS)[number]>('sample')
  const t = table.data
  const counts = t && {
    sample: '',
    profile: '',
    columns: ` · ${t.columns.length}`,
    'follow a row': '',
    partitions: ` · ${number(t.partitions.length)}`,
    files: ` · ${number(t.files.length)}`,
    snapshots: ` · ${number(t.snapshots.length)}`,
  }
  return (
    <Page
      crumb={<Link to="/tables">Tables</Link>}
      title={name}
      aside={
        t && (
          <span className="quiet">
            {number(t.summary.rows)} rows · {number(t.summary.files)}{' '}
            {t.summary.files === 1 ? 'file' : 'files'} · {bytes(t.summary.sizeBytes)}
            {t.summary.partitionedBy.length > 0 && <> · by {t.summary.partitionedBy.join(', ')}</>} · updated{' '}
            {time(t.summary.updatedAt)}
          </span>
        )
      }
    >
      {table.isPending && <Loading what="the table" />}
      {table.error && <Failed error={table.error} />}
      {t && <CarePanel table={t} />}
      {t && counts && (
        <Card>
          <Tabs tabs={TABS.map((key) => ({ key, label: key + counts[key] }))} picked={tab} onPick={setTab} />
          {tab === 'sample' && <Sample name={name} />}
          {tab === 'profile' && <Profile name={name} />}
          {tab === 'columns' && <ColumnsPanel table={t} />}
          {tab === 'follow a row' && <FollowPanel table={t} />}
          {tab === 'partitions' && <Partitions table={t} />}
          {tab === 'files' && <Files table={t} />}
          {tab === 'snapshots' && <SnapshotsPanel table={t} />}
        </Card>
      )}
    </Page>
  )
}
