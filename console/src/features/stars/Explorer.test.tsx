// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import { blockOf, chartOf, groups, sqlOf } from './explore'
import Explorer from './Explorer'

const FACT = {
  name: 'rolls',
  table: 'star.fact_roll',
  grain: ['roll_id'],
  keys: { loom_key: 'loom', day_key: 'day' },
  measures: [
    { name: 'woven', formula: 'sum(metres)', adds: 'fully', about: '' },
    { name: 'rate', formula: 'avg(x)', adds: 'not', about: '' },
  ],
} as Schemas['FactView']
const STAR = {
  summary: { name: 'cloth' },
  text: '',
  facts: [FACT],
  dimensions: [],
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
const typeOf = (name: string) => TYPES[name] ?? ''
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
    const picked = { measures: ['woven', 'rate'], attributes: ['loom_hall', 'day_on'] }
    expect(sqlOf(STAR, FACT, { measures: ['woven'], attributes: [] })).toBe('SELECT woven\nFROM cloth.rolls')
    expect(sqlOf(STAR, FACT, { ...picked, attributes: ['day_is odd'] })).toBe(
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
    expect(blockOf(STAR, FACT, picked, typeOf)).toEqual({
      title: 'woven, rate by loom hall, day on',
      width: 6,
      chart: 'line',
      over: 'cloth.rolls',
      by: ['day_on', 'loom_hall'],
      of: ['woven', 'rate'],
    })
    expect(blockOf(STAR, FACT, { measures: ['rate'], attributes: [] }, typeOf)).toEqual({
      title: 'rate',
      number: 'rate',
      over: 'cloth.rolls',
    })
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

    service.on('POST /query', { detail: 'A stock does not add up over days', code: 'wrong-sql' }, 422)
    await user.click(screen.getByLabelText('rate'))
    expect(await screen.findByText('A stock does not add up over days')).toBeTruthy()
  })
})
