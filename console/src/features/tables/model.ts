import type { Schemas } from '../../shared/api/client'
import { foundIn } from '../../shared/ui/listed'
import { bytes, number } from '../../shared/lib/format'

/** What a compaction did, in a sentence. */
export function compacted(r: Schemas['CompactionResult']): string {
  return r.partitions === 0
    ? 'There were no small files to put together.'
    : `${number(r.filesBefore)} files of ${bytes(r.bytesBefore)} became ${number(r.filesAfter)} of ${bytes(r.bytesAfter)}. Older snapshots keep the old files until they expire.`
}

/** What an expiry did, in a sentence. */
export function expired(r: Schemas['ExpiryResult']): string {
  return `${number(r.snapshots)} ${r.snapshots === 1 ? 'snapshot' : 'snapshots'} forgotten, ${number(r.files)} ${r.files === 1 ? 'file' : 'files'} removed, ${bytes(r.sizeBytes)} freed.`
}

/** The raw files' size and the table's share of it; nothing when no raw file is known. */
export function saved(h: Schemas['HealthView']): string | undefined {
  if (h.rawBytes === 0) {
    return undefined
  }
  const share = (100 * h.sizeBytes) / h.rawBytes
  return `${share < 10 ? share.toFixed(1) : Math.round(share)} % of the ${bytes(h.rawBytes)} of raw files it came from`
}

/** Which values of a changed row are new: those unlike the one in the row before. */
export function changes(rows: Schemas['DifferentRow'][], at: number): boolean[] {
  const row = rows[at]
  const other = row?.kind === 'after' ? rows[at - 1] : row?.kind === 'before' ? rows[at + 1] : undefined
  const values = (row?.values ?? []) as unknown[]
  return values.map((v, i) => other !== undefined && v !== (other.values as unknown[])[i])
}

/** Columns and their values out of a text such as {@code roll_id=R1, hall="North side"}. */
export function parseKey(text: string): Record<string, string> {
  const out: Record<string, string> = {}
  for (const m of text.matchAll(/(\w+)\s*=\s*(?:"([^"]*)"|([^,]*))/g)) {
    out[m[1] ?? ''] = (m[2] ?? m[3] ?? '').trim()
  }
  return out
}

type Table = Schemas['TableSummary']

export type Namespace = { namespace: string; tables: Table[]; rows: number; sizeBytes: number }

/** Tables by their namespace, those alone whose name or pipeline has a text in it. */
export function byNamespace(tables: Table[], wanted: string): Namespace[] {
  const out = new Map<string, Namespace>()
  tables
    .filter((t) => foundIn(wanted, [t.name, t.writtenBy]))
    .forEach((t) => {
      const namespace = t.name.slice(0, t.name.indexOf('.'))
      const group = out.get(namespace) ?? { namespace, tables: [], rows: 0, sizeBytes: 0 }
      group.tables.push(t)
      group.rows += t.rows
      group.sizeBytes += t.sizeBytes
      out.set(namespace, group)
    })
  return [...out.values()]
}

/** What became of a row that did not go on as it was, by what its step does. */
export function leftWord(verb: string): string {
  switch (verb) {
    case 'dedupe':
      return 'merged'
    case 'keep':
    case 'sample':
      return 'filtered'
    case 'join':
      return 'unmatched'
    case 'aggregate':
      return 'grouped'
    default:
      return 'dropped'
  }
}
