// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, it, vi } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { KeptAnswer } from './KeptAnswer'
import type { Kept } from './kept'

vi.mock('../charts/ChartView', () => ({ default: () => null }))

const TOTAL = 1_000_000
const kept = (id: string): Kept =>
  ({
    id,
    rowCount: TOTAL,
    first: {
      columns: [
        { name: 'roll', type: 'varchar' },
        { name: 'metres', type: 'int' },
      ],
      rows: [],
      truncated: true,
      elapsedMillis: 1200,
      notes: [],
    },
  }) as unknown as Kept
const page = (from: number, count: number, rowCount = TOTAL) => ({
  from,
  rowCount,
  rows: Array.from({ length: count }, (_, i) => [`R${from + i}`, from + i]),
})

let service: StubService
const rows = () =>
  screen
    .getAllByRole('row')
    .slice(1)
    .map((r) => r.textContent)
const asked = () => service.calls.filter((c) => c.method === 'GET').map((c) => c.path)

beforeEach(() => {
  service = new StubService()
    .on('GET /results/a/rows', page(0, 500))
    .on('GET /results/b/rows', page(7, 500))
    .on('POST /results', kept('b'))
    .on('DELETE /results/a', null, 204)
    .on('DELETE /results/b', null, 204)
    .install()
})

it('draws a few of a million rows, and fetches those that are scrolled to', async () => {
  show(<KeptAnswer sql="select 1" parameters={{}} begin={kept('a')} />)
  expect(await screen.findByText('R0')).toBeTruthy()
  expect(screen.getByText('The first 1,000,000 rows in 1.20 s')).toBeTruthy()
  expect(screen.getByRole('table').getAttribute('aria-rowcount')).toBe('1000001')
  expect(rows().length).toBeLessThan(60)

  service.on('GET /results/a/rows', page(999_500, 500))
  const box = screen.getByRole('region', { name: 'Rows' })
  Object.defineProperty(box, 'scrollTop', { value: 8_000_000, writable: true })
  fireEvent.scroll(box)
  expect(await screen.findByText('R999999')).toBeTruthy()
  expect(asked().length).toBe(2)
  expect(screen.queryByText('R0')).toBeNull()
})

it('is sorted and narrowed by the service', async () => {
  const user = userEvent.setup()
  const { unmount } = show(<KeptAnswer sql="select 1" parameters={{ hall: 'North' }} begin={kept('a')} />)
  await screen.findByText('R0')
  await user.click(screen.getByRole('button', { name: /^metres/ }))
  expect(await screen.findByText('R7')).toBeTruthy()
  expect(service.calls.find((c) => c.method === 'POST')?.body).toEqual({
    sql: 'select 1',
    parameters: { hall: 'North' },
    sort: { column: 1, descending: false },
  })
  expect(screen.getByRole('columnheader', { name: /metres/ }).getAttribute('aria-sort')).toBe('ascending')
  // The rows of before are given up.
  expect(service.calls.some((c) => c.method === 'DELETE' && c.path === '/results/a')).toBe(true)

  service.on('GET /results/b/rows', page(40, 2, 2))
  await user.type(screen.getByLabelText('Show rows with'), 'night')
  expect(await screen.findByText('2 of 1,000,000 rows')).toBeTruthy()
  await waitFor(() => expect(rows()).toEqual(['R4040', 'R4141']))

  service.on('GET /results/b/rows', { detail: 'This result is not kept any more', code: 'result-gone' }, 404)
  await user.type(screen.getByLabelText('Show rows with'), 's')
  expect(await screen.findByText('This result is not kept any more')).toBeTruthy()
  unmount()
  await waitFor(() =>
    expect(service.calls.some((c) => c.method === 'DELETE' && c.path === '/results/b')).toBe(true),
  )
})

it('keeps a pinned column at the left', async () => {
  const user = userEvent.setup()
  show(<KeptAnswer sql="select 1" parameters={{}} begin={kept('a')} />)
  await screen.findByText('R0')
  await user.click(screen.getByRole('button', { name: 'Pin metres' }))
  expect(rows()[3]).toBe('3R3')
  expect(screen.getAllByRole('columnheader')[0]?.style.position).toBe('sticky')
  await user.click(screen.getByRole('button', { name: 'Pin metres' }))
  expect(rows()[3]).toBe('R33')
})
