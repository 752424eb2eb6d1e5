// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { RunningNow } from './RunningNow'

const LOOK = {
  id: 7,
  kind: 'query',
  what: 'SELECT count(*) FROM mill.rolls',
  askedBy: 'ada',
  startedAt: '2026-11-01T00:00:00Z',
  requestId: 'hers',
  rowsRead: 12_400_000,
  partsRead: 5,
  parts: 8,
}

describe('what runs now', () => {
  it('says how much was read, and is ended with a button', async () => {
    const stub = new StubService()
      .on('GET /queries', [LOOK])
      .on('DELETE /queries/7', undefined, 204)
      .install()
    show(<RunningNow />)
    const list = await screen.findByRole('region', { name: 'Running now' })
    expect(
      within(list).getByText('query of ada: 12,400,000 rows read, 5 of 8 parts of its tables'),
    ).toBeTruthy()
    stub.on('GET /queries', [])
    await userEvent.click(within(list).getByRole('button', { name: 'End query 7' }))
    expect(stub.made('DELETE')).toHaveLength(1)
    await expect.poll(() => screen.queryByRole('region')).toBeNull()
  })

  it('says why one could not be ended', async () => {
    new StubService()
      .on('GET /queries', [LOOK])
      .on('DELETE /queries/7', { detail: 'No running query is named [7]', code: 'not-found' }, 404)
      .install()
    show(<RunningNow />)
    await userEvent.click(await screen.findByRole('button', { name: 'End query 7' }))
    expect(await screen.findByText('No running query is named [7]')).toBeTruthy()
  })
})
