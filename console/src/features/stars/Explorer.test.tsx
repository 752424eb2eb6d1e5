// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import { below, blockOf, chartOf, drilled, groups, NOTHING, sqlOf } from './explore'
import Explorer from './Explorer'

const FACT = {
  name: 'rolls',
  table: 'star.fact_roll',
  grain: ['roll_id'],
  keys: { loom_key: 'loom', day_key: 'day' },
  measures: [
    { name: 'woven', formula: 'sum(metres)', adds: 'fully', about: '' },
    { name: 'rate', formula: 'avg(x)', adds: 'not', about: '' },
    { name: 'stock', formula: 'sum(kg)', adds: 'not-over-time', about: '' },
  ],
} as Schemas['FactView']
const STAR = {
  summary: { name: 'cloth' },
  text: '',
  facts: [FACT],
  dimensions: [
    {
      name: 'loom',
      table: 'star.dim_loom',
      key: 'loom_key',
      time: false,
      hierarchies: { place: ['hall', 'code'] },
    },
    {
      name: 'day',
      table: 'star.dim_day',
      key: 'day_key',
      time: true,
      hierarchies: { months: ['year', 'month', 'on'], weeks: ['year', 'week', 'on'] },
    },
  ],
  problems: [],
} as unknown as Schemas['StarDetail']
const TYPES: Record<string, string> = {
  loom_key: 'bigint',
  loom_hall: 'varchar',
  day_on: 'date',
  'day_is odd': 'boolean',
  grade: 'varchar',
}
const COLUMNS = Object.entries(TYPES).map(([name, type]) => ({ name, type }))
const OVER = { star: STAR, fact: FACT, columns: COLUMNS }
const answer = (columns: Record<string, string>, rows: unknown[][]) =>
  ({
    columns: Object.entries(columns).map(([name, type]) => ({ name, type })),
    rows,
    truncated: false,
    elapsedMillis: 3,
    notes: [],
  }) as unknown as Schemas['ResultRows']

describe('what is picked of a star', () => {
  it('is offered by dimension, without keys', () => {
    expect(
      groups(FACT, COLUMNS).map((g) => `${g.dimension}: ${g.attributes.map((a) => a.label).join()}`),
    ).toEqual(['loom: hall', 'day: on,is odd', 'rolls: grade'])
  })

  it('becomes a query, a chart and a block', () => {
    const picked = { ...NOTHING, measures: ['woven', 'rate'], attributes: ['loom_hall', 'day_on'] }
    expect(sqlOf(OVER, { ...NOTHING, measures: ['woven'] })).toBe('SELECT woven\nFROM cloth.rolls')
    expect(sqlOf(OVER, { ...picked, attributes: ['day_is odd'] })).toBe(
      'SELECT "day_is odd", woven, rate\nFROM cloth.rolls\nGROUP BY "day_is odd"\nORDER BY "day_is odd"',
    )
    const result = answer({ loom_hall: 'varchar', day_on: 'date', woven: 'double', rate: 'double' }, [])
    expect(chartOf(result, picked)).toEqual({ kind: 'line', x: 1, y: [2], by: 0 })
    expect(chartOf(result, { ...picked, attributes: ['loom_hall'] })).toEqual({
      kind: 'bar',
      x: 0,
      y: [2, 3],
    })
    expect(chartOf(result, { ...picked, attributes: ['a', 'b', 'c'] })).toBeUndefined()
    expect(blockOf(OVER, picked)).toEqual({
      title: 'woven, rate by loom hall, day on',
      width: 6,
      chart: 'line',
      over: 'cloth.rolls',
      by: ['day_on', 'loom_hall'],
      of: ['woven', 'rate'],
    })
    expect(blockOf(OVER, { ...NOTHING, measures: ['rate'] })).toEqual({
      title: 'rate',
      number: 'rate',
      over: 'cloth.rolls',
    })
  })
})

describe('going down', () => {
  const hall = { column: 'loom_hall', value: "O'Hall" }
  it('takes the level below of the hierarchy that is settled most', () => {
    expect(below(OVER, 'loom_hall', [])).toBe('loom_code')
    expect(below(OVER, 'loom_code', [])).toBeUndefined()
    expect(below(OVER, 'day_week', [{ column: 'day_year', value: '2026' }])).toBe('day_on')
    expect(below(OVER, 'grade', [])).toBeUndefined()
  })

  it('keeps what was chosen as conditions, each value as one of its type', () => {
    const picked = { ...NOTHING, measures: ['woven'], attributes: ['loom_hall'] }
    const down = drilled(OVER, picked, [hall])
    expect(down.attributes).toEqual(['loom_code'])
    expect(sqlOf(OVER, down)).toBe(
      "SELECT loom_code, woven\nFROM cloth.rolls\nWHERE loom_hall = 'O''Hall'\nGROUP BY loom_code\nORDER BY loom_code",
    )
    const more = drilled(OVER, down, [
      { column: 'grade', value: null },
      { column: 'day_on', value: '2026-01-05' },
      { column: 'loom_key', value: '7; DROP' },
    ])
    expect(sqlOf(OVER, more).split('\n').slice(2, 6)).toEqual([
      "WHERE loom_hall = 'O''Hall'",
      '  AND grade IS NULL',
      "  AND day_on = CAST('2026-01-05' AS DATE)",
      "  AND loom_key = CAST('7; DROP' AS BIGINT)",
    ])
    expect(blockOf(OVER, down)).toMatchObject({ where: "loom_hall = 'O''Hall'", by: ['loom_code'] })
  })

  it('takes the last day of what would add up over days', () => {
    const picked = { ...NOTHING, measures: ['stock'], attributes: ['loom_hall'], lastDay: true }
    expect(sqlOf(OVER, picked)).toContain('WHERE day_on = (SELECT max(l.day_on) FROM cloth.rolls AS l)')
    expect(sqlOf(OVER, { ...picked, attributes: ['day_is odd'] })).toContain(
      'AS l WHERE l."day_is odd" = rolls."day_is odd")',
    )
    expect(sqlOf(OVER, { ...picked, attributes: ['day_on'] })).not.toContain('WHERE')
    expect(sqlOf(OVER, { ...picked, measures: ['woven'] })).not.toContain('WHERE')
  })
})

describe('asking a star', () => {
  it('answers at once, and is kept in a sampler', async () => {
    const service = new StubService()
      .on(
        'POST /query',
        answer(
          { column: 'varchar', type: 'varchar' },
          COLUMNS.map((c) => [c.name, c.type]),
        ),
      )
      .on('GET /samplers', [])
      .on('POST /samplers/week/blocks', { summary: { name: 'week', title: 'Week' }, text: '' })
      .install()
    const user = userEvent.setup()
    show(<Explorer star={STAR} />)
    expect(screen.getByText(/Pick a measure on the left/)).toBeTruthy()

    await user.click(await screen.findByLabelText('hall'))
    service.on('POST /query', answer({ loom_hall: 'varchar', woven: 'double' }, [['North', 5]]))
    await user.click(screen.getByLabelText('woven'))
    expect(await screen.findByText('1 row in 0.00 s')).toBeTruthy()
    expect(service.calls.filter((c) => c.path === '/query').at(-1)?.body).toMatchObject({
      sql: 'SELECT loom_hall, woven\nFROM cloth.rolls\nGROUP BY loom_hall\nORDER BY loom_hall',
    })
    await user.type(screen.getByLabelText('in sampler'), 'week')
    await user.click(screen.getByRole('button', { name: 'Keep it' }))
    await waitFor(() => expect(screen.getByRole('link', { name: 'Week' })).toBeTruthy())
    expect(service.calls.at(-1)).toMatchObject({ method: 'POST', path: '/samplers/week/blocks' })

    service.on('POST /query', answer({ loom_code: 'varchar', woven: 'double' }, [['L1', 2]]))
    await user.click(screen.getByRole('button', { name: 'North' }))
    expect(await screen.findByRole('button', { name: 'L1' })).toBeTruthy()
    expect(service.calls.at(-1)?.body).toMatchObject({ sql: expect.stringContaining("loom_hall = 'North'") })
    await user.click(screen.getByRole('button', { name: 'loom hall: North ×' }))
    await waitFor(() => expect(screen.queryByRole('button', { name: /×/ })).toBeNull())

    await user.click(screen.getByLabelText('stock'))
    expect(screen.getByText(/added up over days it says nothing/)).toBeTruthy()
    const calls = service.calls.length
    await user.click(screen.getByLabelText(/Take the last day of each group/))
    await waitFor(() => expect(service.calls.length).toBeGreaterThan(calls))
    expect(service.calls.at(-1)?.body).toMatchObject({ sql: expect.stringContaining('max(l.day_on)') })
    await user.click(screen.getByLabelText('stock'))

    service.on('POST /query', { detail: 'A stock does not add up over days', code: 'wrong-sql' }, 422)
    await user.click(screen.getByLabelText('rate'))
    expect(await screen.findByText('A stock does not add up over days')).toBeTruthy()
  })
})
