// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import BeginPage from './BeginPage'
import {
  isTrimmed,
  keys,
  lookUps,
  matchSql,
  mends,
  nameFrom,
  partitions,
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
    expect(boxes.map((b) => b.checked)).toEqual([false, true, false])
    await user.click(screen.getByRole('button', { name: 'Keep one row of each' }))
    await screen.findByRole('heading', { name: /What belongs beside them/ })
    const added = service.calls.filter((c) => c.path === '/pipelines/edit/add').map((c) => c.body)
    expect(added).toEqual([
      { text: 'with rows', behind: 'rows', readers: [], verb: 'shape', body: '{trim: [hall]}' },
      { text: 'with more', behind: 'tidy', readers: [], verb: 'dedupe', body: '{by: [roll_id], keep: last}' },
    ])
    await user.click(screen.getByRole('button', { name: 'Back' }))
    await user.click(screen.getByRole('button', { name: 'Back' }))
    expect(await screen.findByText('hall has blanks')).toBeTruthy()
    await waitFor(() => expect(screen.getByLabelText('The document so far').textContent).toBe('with rows'))
  })
})
