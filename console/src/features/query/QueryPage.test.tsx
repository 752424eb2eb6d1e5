// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import QueryPage from './QueryPage'

// The editor measures letters, which this document has none of.
vi.mock('../../shared/ui/Editor', () => ({
  Editor: ({ value, label, onChange }: { value: string; label: string; onChange: (t: string) => void }) => (
    <textarea aria-label={label} value={value} onChange={(e) => onChange(e.target.value)} />
  ),
}))

const VIEW = {
  name: 'late-rolls',
  inFrom: 'view.late_rolls',
  about: 'Rolls that came late',
  sql: 'select roll_id from mill.rolls',
  parameters: [],
  version: 2,
  savedAt: '2026-11-01T00:00:00Z',
  savedBy: 'ada',
}
const ROWS = {
  columns: [
    { name: 'roll', type: 'varchar' },
    { name: 'woven_at', type: 'timestamp(6)' },
  ],
  rows: [
    ['R1', '2026-03-01 10:00:00'],
    ['R2', '2026-03-02 11:00:00'],
  ],
  truncated: false,
  elapsedMillis: 12,
  notes: ['feed rolls: 1 rows do not fit'],
}

function service() {
  return new StubService()
    .on('GET /tables', [{ name: 'mill.rolls', rows: 2 }])
    .on('GET /stars', [])
    .on('GET /feeds', [])
    .on('GET /views', [VIEW])
    .on('POST /query', ROWS)
    .install()
}

describe('the query page', () => {
  beforeEach(() => localStorage.clear())

  it('asks, tells what is left out, and shows only rows with some words', async () => {
    const stub = service()
    const user = userEvent.setup()
    show(<QueryPage />)
    await user.click(await screen.findByRole('button', { name: 'Ask' }))
    expect(await screen.findByText('2 rows in 0.01 s')).toBeTruthy()
    expect(screen.getByText('feed rolls: 1 rows do not fit')).toBeTruthy()
    await user.type(screen.getByLabelText('Show rows with'), 'r2')
    const rows = within(screen.getByRole('region', { name: 'Rows' }))
    expect(rows.queryByText('R1')).toBeNull()
    expect(rows.getByText('R2')).toBeTruthy()
    expect(screen.getByText('1 of 2 rows')).toBeTruthy()
    expect(stub.calls.at(-1)).toMatchObject({ body: { sql: 'SELECT * FROM mill.rolls', limit: 1000 } })
  })

  it('has the service keep very many rows, and says so where they are more', async () => {
    const stub = service()
      .on('POST /results', { id: 'a', rowCount: 1_000_000, first: { ...ROWS, truncated: true } })
      .on('GET /results/a/rows', { from: 0, rowCount: 1_000_000, rows: ROWS.rows })
      .on('DELETE /results/a', null, 204)
    const user = userEvent.setup()
    show(<QueryPage />)
    await user.selectOptions(await screen.findByLabelText(/at most/), '1000000')
    await user.click(screen.getByRole('button', { name: 'Ask' }))
    expect(await screen.findByText('The first 1,000,000 rows in 0.01 s')).toBeTruthy()
    expect(screen.getByText('feed rolls: 1 rows do not fit')).toBeTruthy()
    expect(await screen.findByText('R1')).toBeTruthy()
    expect(stub.calls.find((c) => c.path === '/results')?.body).toMatchObject({
      sql: 'SELECT * FROM mill.rolls',
    })
  })

  it('keeps what is written in one query while another shows', async () => {
    service()
    const user = userEvent.setup()
    show(<QueryPage />)
    await user.click(await screen.findByRole('button', { name: 'Ask' }))
    await screen.findByText('2 rows in 0.01 s')
    await user.click(screen.getByRole('button', { name: 'New' }))
    expect(screen.getAllByRole('tab').map((t) => t.textContent)).toEqual(['mill.rolls', 'new'])
    expect(screen.getByText('2 rows in 0.01 s').closest('[hidden]')).not.toBeNull()
    await user.click(screen.getByRole('tab', { name: 'mill.rolls' }))
    expect(screen.getByText('2 rows in 0.01 s').closest('[hidden]')).toBeNull()
    await user.click(screen.getByRole('button', { name: 'Close' }))
    expect(screen.getAllByRole('tab').map((t) => t.textContent)).toEqual(['new'])
  })

  it('opens a view, and keeps it as its next version', async () => {
    const stub = service().on('PUT /views/late-rolls/query', {
      summary: { ...VIEW, version: 3 },
      text: '',
    })
    const user = userEvent.setup()
    show(<QueryPage />)
    await user.click(await screen.findByRole('button', { name: 'late-rolls' }))
    expect(screen.getByText('in FROM: view.late_rolls')).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Open' }))
    expect(screen.getByRole('tab', { name: 'late-rolls', selected: true })).toBeTruthy()
    const shown = within(screen.getByRole('tabpanel'))
    await user.click(shown.getByRole('button', { name: 'Save…' }))
    await user.click(shown.getByRole('button', { name: 'Save version 3' }))
    await waitFor(() =>
      expect(stub.calls.find((c) => c.method === 'PUT')).toMatchObject({
        body: { about: 'Rolls that came late', sql: VIEW.sql, basedOn: 2 },
      }),
    )
    await user.click(await shown.findByRole('button', { name: 'Save…' }))
    expect(shown.getByRole('button', { name: 'Save version 4' })).toBeTruthy()
  })

  it('asks twice before a view is removed, and tells why it stays', async () => {
    const stub = service().on(
      'DELETE /views/late-rolls',
      { detail: 'View [late-rolls] is read by the views x', code: 'in-use' },
      409,
    )
    const user = userEvent.setup()
    show(<QueryPage />)
    await user.click(await screen.findByRole('button', { name: 'late-rolls' }))
    await user.click(screen.getByRole('button', { name: 'Remove' }))
    expect(stub.calls.some((c) => c.method === 'DELETE')).toBe(false)
    await user.click(screen.getByRole('button', { name: 'Remove late-rolls?' }))
    expect((await screen.findByRole('alert')).textContent).toContain('is read by the views x')
  })
})
