// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import TablesPage from './TablesPage'

const table = (name: string, writtenBy: string) => ({
  name,
  rows: 1200,
  files: 2,
  sizeBytes: 3400,
  partitionedBy: [],
  updatedAt: '2026-01-05T10:00:00Z',
  writtenBy,
})

describe('the list of tables', () => {
  it('stands by namespace, with each table and its health', async () => {
    new StubService()
      .on('GET /tables', [table('mart.cloth', 'cloth'), table('raw.rolls', 'land')])
      .on('GET /tables/health', [
        { table: 'mart.cloth', findings: [] },
        { table: 'raw.rolls', findings: [{ code: 'small-files', message: 'many are small' }] },
      ])
      .install()
    show(<TablesPage />)

    const rolls = await screen.findByRole('row', { name: /^rolls 1,200 2 3.4 kB .* small files$/ })
    expect(within(rolls).getByRole('link', { name: 'rolls' }).getAttribute('href')).toBe('/tables/raw.rolls')
    expect(await screen.findByRole('row', { name: /^cloth .* well$/ })).toBeTruthy()

    await userEvent.type(screen.getByLabelText('Search tables'), 'land')
    expect(screen.queryByRole('link', { name: 'cloth' })).toBeNull()
    await userEvent.type(screen.getByLabelText('Search tables'), 'x')
    expect(screen.getByText('No table has [landx] in its name.')).toBeTruthy()
  })

  it('says how a table comes to be when there is none', async () => {
    new StubService().on('GET /tables', []).on('GET /tables/health', []).install()
    show(<TablesPage />)

    expect(await screen.findByText(/A pipeline with a write step makes one/)).toBeTruthy()
  })
})
