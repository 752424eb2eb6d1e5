import type { Schemas } from '../../shared/api/client'

/** A part of a plan: what is done, how deep below the first, and what it took where that is known. */
export type PlanPart = {
  depth: number
  text: string
  expected: number
  rows?: number
  cost?: PlanCost
}

/** What a part took; sizes are in bytes. */
export type PlanCost = {
  cpuMillis: number
  readBytes: number
  memoryBytes: number
  diskBytes: number
  /** How much of what there is was read, such as `files: 1 of 36`. */
  read: string[]
  /** What was not read, and why. */
  leftOut: string[]
}

const INDENT = /^[│└ ]*/
const INDENT_WIDTH = 2
const KB = 1000

/** The parts of a plan from the answer to an EXPLAIN; nothing of another answer. */
export function planOf(sql: string, result: Schemas['ResultRows']): PlanPart[] | undefined {
  const place = new Map(result.columns.map((c, i) => [c.name, i]))
  if (!/^\s*explain\b/i.test(sql) || !place.has('plan') || !place.has('expected')) {
    return undefined
  }
  return (result.rows as unknown[][]).map((row) => {
    const value = (name: string) => row[place.get(name) ?? -1] ?? undefined
    const size = (name: string) => Number(value(name) ?? 0) * KB
    const words = (name: string) => String(value(name) ?? '')
    const line = words('plan')
    const indent = INDENT.exec(line)?.[0].length ?? 0
    return {
      depth: Math.floor(indent / INDENT_WIDTH),
      text: line.slice(indent),
      expected: Number(value('expected') ?? 0),
      rows: value('rows') === undefined ? undefined : Number(value('rows')),
      cost:
        value('cpu_ms') === undefined
          ? undefined
          : {
              cpuMillis: Number(value('cpu_ms')),
              readBytes: size('read_kb'),
              memoryBytes: size('memory_kb'),
              diskBytes: size('disk_kb'),
              read: ['partitions', 'files', 'row_groups', 'pages']
                .filter((name) => words(name) !== '')
                .map((name) => `${words(name)} ${name.replace('_', ' ')}`),
              leftOut: words('left_out') === '' ? [] : words('left_out').split('; '),
            },
    }
  })
}
