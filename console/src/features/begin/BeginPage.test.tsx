// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import BeginPage from './BeginPage'
import {
  copied,
  dimensions,
  factSteps,
  groupings,
  isTrimmed,
  keyNames,
  keys,
  lookUps,
  matchSql,
  memberBody,
  mends,
  nameFrom,
  partitions,
  spreadSql,
  sumSteps,
  withSchedule,
  writeBody,
} from './model'

const column = (name: string, distinct: number, findings: object[] = [], nulls = 0) => ({
  name,
  type: 'varchar',
  distinct,
  nulls,
  findings,
})
const PROFILE = {
  rows: 100,
  sources: ['first 100 rows'],
  columns: [
    column('hall', 3, [{ code: 'blanks', words: 'has blanks', offer: 'shape: {trim: [hall]}' }]),
    column('roll_id', 98, [{ code: 'odd', words: 'is odd', offer: 'dedupe: {by: [roll_id]}' }]),
    column('note', 100, [{ code: 'blanks', words: 'has blanks', offer: 'shape: {trim: [hall]}' }], 2),
  ],
} as unknown as Schemas['ProfileView']

describe('what is proposed', () => {
  it('rests on what the rows hold', () => {
    expect(mends(PROFILE)).toEqual([
      { offer: 'shape: {trim: [hall]}', why: ['hall has blanks', 'note has blanks'] },
    ])
    expect(keys(PROFILE).map((k) => k.name)).toEqual(['note', 'roll_id', 'hall'])
    const timed = { ...PROFILE, columns: [...PROFILE.columns, { ...column('at', 99), type: 'timestamp' }] }
    expect(keys(timed as typeof PROFILE).map((k) => k.name)).toEqual(['note', 'roll_id', 'at', 'hall'])
    const columns = [
      { name: 'loom', type: 'varchar' },
      { name: 'at', type: 'timestamp' },
    ]
    expect(
      lookUps(columns, [
        { table: 'mill.looms', column: 'LOOM', type: 'varchar' },
        { table: 'raw.looms', column: 'loom', type: 'varchar' },
        { table: 'mill.keys', column: 'loom', type: 'bigint' },
      ]).map((o) => o.table),
    ).toEqual(['mill.looms'])
    expect(partitions(columns)).toEqual(['year(at), month(at)', 'day(at)'])
    expect(matchSql('feed.rolls', { table: 'mill.looms', column: 'loom', type: '' }, 9, true)).toContain(
      'SELECT TRIM("loom") AS k FROM feed.rolls WHERE "loom" IS NOT NULL LIMIT 9',
    )
    expect(isTrimmed('shape: {trim: [hall, loom]}', 'loom')).toBe(true)
    expect(isTrimmed('shape: {trim: [hall]}', 'loom')).toBe(false)
    expect(nameFrom('mart.Roll Ledger!')).toBe('mart-roll-ledger-clean')
    expect(writeBody({ table: 'a.b', mode: 'upsert', partition: 'day(at)', key: ['id'] })).toBe(
      '{table: a.b, mode: upsert, key: [id], partition: [day(at)]}',
    )
    const text = withSchedule('pipeline: p\nsteps:\n  a: {}\n', '0 6 * * *', 'UTC')
    expect(text).toBe('pipeline: p\nschedule: {cron: "0 6 * * *", zone: UTC}\nsteps:\n  a: {}\n')
    expect(withSchedule(text, '', 'UTC')).toBe('pipeline: p\nsteps:\n  a: {}\n')
  })
})

const typed = (types: Record<string, string>) =>
  Object.entries(types).map(([name, type]) => ({ name, type })) as Schemas['StepColumn'][]
const ROLLS = typed({ roll_id: 'varchar', loom: 'varchar', woven_at: 'timestamp', 'len m': 'decimal(9, 2)' })
const others = (table: string, types: Record<string, string>) =>
  Object.entries(types).map(([c, type]) => ({ table, column: c, type }))
const OTHERS = [
  ...others('star.dim_loom', { loom_key: 'bigint', LOOM: 'varchar', valid_from: 'timestamp' }),
  ...others('star.dim_day', { day_key: 'int', calendar_day: 'date' }),
  ...others('mill.looms', { loom: 'varchar' }),
  ...others('star.fact_roll', { roll_key: 'bigint', loom_key: 'bigint', loom: 'varchar' }),
]

describe('what rows become', () => {
  it('is sums of groups that are few, and of the days of a time', () => {
    const profile = {
      ...PROFILE,
      columns: [column('roll_id', 98), column('loom', 12), column('len m', 5)],
    } as unknown as Schemas['ProfileView']
    const groups = groupings(profile, ROLLS)
    expect(groups).toEqual([
      { name: 'loom', values: 12 },
      { name: 'woven_at_day', of: 'woven_at' },
    ])
    expect(sumSteps(groups, ['len m'])).toEqual([
      { verb: 'shape', body: '{set: {woven_at_day: cast(woven_at as date)}}' },
      {
        verb: 'aggregate',
        body: `{by: [loom, woven_at_day], set: {rows: count(*), sum_len m: 'sum("len m")'}}`,
      },
    ])
    expect(sumSteps([{ name: 'loom' }], []).map((s) => s.verb)).toEqual(['aggregate'])
  })

  it('is members by their key, with what was before', () => {
    expect(memberBody({ table: 'star.d', key: ['loom'], history: [], changedAt: 'at' })).toBe(
      '{table: star.d, key: [loom]}',
    )
    expect(memberBody({ table: 'star.d', key: ['loom'], history: ['hall'], changedAt: 'since' })).toBe(
      '{table: star.d, key: [loom], history: [hall], changed-at: since}',
    )
  })

  it('is a fact that points to the dimensions that say the same', () => {
    const to = dimensions(ROLLS, OTHERS)
    expect(to).toEqual([
      { table: 'star.dim_loom', mine: 'loom', theirs: 'LOOM', ofTime: false, history: true },
      { table: 'star.dim_day', mine: 'woven_at', theirs: 'calendar_day', ofTime: true, history: false },
    ])
    const facts = { grain: ['roll_id'], to, at: 'woven_at', measures: ['len m'] }
    expect(factSteps(facts, ['dim_loom', 'dim_day']).map((s) => s.body)).toEqual([
      '{set: {woven_at_day: cast(woven_at as date)}}',
      '{grain: [roll_id], keys: {loom_key: {dimension: dim_loom, on: {loom: LOOM}, at: woven_at}, ' +
        'day_key: {dimension: dim_day, on: {woven_at_day: calendar_day}}}, measures: [len m], keep: [roll_id]}',
    ])
    const twice = [to[1]!, { ...to[1]!, mine: 'shipped_at' }]
    expect(keyNames(twice)).toEqual(['woven_at_key', 'shipped_at_key'])
  })

  it('is laid out by what its times spread over', () => {
    const growth = { text: '', last: 'rows', source: 'feed.rolls' }
    expect(spreadSql(growth, 'year(woven_at), month(woven_at)')).toBe(
      "SELECT count(*), count(DISTINCT DATE_TRUNC('month', woven_at)) FROM feed.rolls",
    )
    expect(spreadSql(growth, 'day(at 2)')).toContain(`DATE_TRUNC('day', "at 2")`)
    const made = { ...growth, text: 'shape: {set: {woven_at_day: cast(woven_at as date)}}' }
    expect(spreadSql(made, 'day(woven_at_day)')).toContain("DATE_TRUNC('day', woven_at)")
    expect(spreadSql(growth, 'day(woven_at_day)')).toContain('woven_at_day')
    expect(spreadSql(growth, '')).toBeUndefined()
    expect(copied('pipeline: a\nschedule:\n  cron: "0 6 * * *"\nsteps: {}\n', 'b')).toBe(
      'pipeline: b\nsteps: {}\n',
    )
  })
})

describe('beginning a pipeline', () => {
  it('asks one question after the other, and goes back', async () => {
    const service = new StubService()
      .on('GET /feeds', [{ name: 'rolls', format: 'text', columns: 3 }])
      .on('GET /tables', [])
      .on('POST /pipelines/edit/paste', { text: 'with rows', steps: ['rows'], renamed: {}, inputs: [] })
      .on('POST /pipelines/edit/add', { text: 'with more', step: 'tidy' })
      .on('POST /pipelines/check', {
        name: 'rolls-clean',
        sound: true,
        problems: [],
        steps: [],
        forecasts: [],
        lost: [],
      })
      .on('POST /pipelines/profile', PROFILE)
      .install()
    const user = userEvent.setup()
    show(<BeginPage />)

    await screen.findByRole('option', { name: 'rolls (text, 3 columns)' })
    await user.selectOptions(screen.getByLabelText('Rows of'), 'feed rolls')
    await user.click(screen.getByRole('button', { name: 'Begin' }))
    expect(await screen.findByText('hall has blanks')).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Put it in' }))
    await screen.findByRole('heading', { name: /Which rows are the same/ })
    // A column with nulls is no key by itself, however many values it has.
    const boxes = await screen.findAllByRole<HTMLInputElement>('checkbox')
    expect(boxes.map((b) => b.checked)).toEqual([false, true, false, false])
    // What would be taken together is shown before it is.
    service.on('POST /pipelines/preview', {
      columns: [{ name: 'alike_as' }, { name: 'texts' }, { name: 'which' }],
      rows: [[7, 2, 'Meadow Yarns · Medow Yarns']],
      matching: 12,
    })
    await user.click(screen.getByLabelText(/a text that is nearly the same/))
    await user.selectOptions(screen.getByLabelText('Least likeness'), '80 %')
    expect(await screen.findByText('Meadow Yarns · Medow Yarns')).toBeTruthy()
    expect(screen.getByText(/12 groups have texts that differ/)).toBeTruthy()
    const tried = service.calls.filter((c) => c.path === '/pipelines/preview').at(-1)?.body
    expect(tried).toEqual({ text: 'with more', step: 'tidy', rows: 3, where: 'texts > 1', whole: false })
    await user.click(screen.getByRole('button', { name: 'Keep one row of each' }))
    await screen.findByRole('heading', { name: /What belongs beside them/ })
    const added = service.calls
      .filter((c) => c.path === '/pipelines/edit/add')
      .map((c) => c.body as { verb: string; body: string })
    const alike = (more: string) => `{by: [roll_id], alike: {on: note, least: 80%${more}}`
    expect(added[0]).toEqual({
      text: 'with rows',
      behind: 'rows',
      readers: [],
      verb: 'shape',
      body: '{trim: [hall]}',
    })
    expect(added.slice(-3).map((a) => a.body)).toEqual([
      alike(', group: alike_as') + '}',
      "{by: [alike_as], set: {texts: count(distinct note), which: 'listagg(distinct note, '' · '')'}}",
      alike('') + ', keep: last}',
    ])
    await user.click(screen.getByRole('button', { name: 'Back' }))
    await user.click(screen.getByRole('button', { name: 'Back' }))
    expect(await screen.findByText('hall has blanks')).toBeTruthy()
    await waitFor(() => expect(screen.getByLabelText('The document so far').textContent).toBe('with rows'))
  })
})
