// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import RunsPage from './RunsPage'

const run = (id: number, more = {}) => ({
  id,
  pipeline: 'roll-inspection',
  state: 'succeeded',
  cause: 'request',
  requestedBy: 'ines',
  startedAt: new Date(Date.now() - id * 3_600_000).toISOString(),
  elapsedMillis: 1_500,
  rowsIn: 20_673,
  rowsOut: 232,
  setAside: 0,
  warnings: 0,
  ...more,
})

let service: StubService

beforeEach(() => {
  service = new StubService()
    .on('GET /pipelines', [{ name: 'roll-inspection' }, { name: 'land-ledger' }])
    .on('GET /runs', [
      run(2, { cause: 'schedule' }),
      run(40, { state: 'failed', failure: { message: 'Step [placed] ran out of memory' }, rowsOut: 0 }),
    ])
    .install()
})

const open = (at = '/runs') => show(<RunsPage />, { path: '/runs', at })
const address = () => screen.getByLabelText('address').textContent

describe('the list of runs', () => {
  it('says who asked, what came of it, and why one failed', async () => {
    open()

    const [, newest, failed] = await screen.findAllByRole('row')
    expect(within(newest!).getByText('schedule')).toBeTruthy()
    expect(within(newest!).getByText('20,673').className).toContain('num')
    expect(within(failed!).getByText('ines')).toBeTruthy()
    expect(within(failed!).getByText('Step [placed] ran out of memory')).toBeTruthy()
    expect(screen.getByLabelText('How long each of the last 2 runs took')).toBeTruthy()
  })

  it('keeps what was chosen in the address, and asks the service for it', async () => {
    const user = userEvent.setup()
    open()

    await screen.findByRole('option', { name: 'land-ledger' })
    await user.selectOptions(screen.getByLabelText('Pipeline'), 'land-ledger')
    await user.selectOptions(screen.getByLabelText('State'), 'failed')
    expect(address()).toBe('/runs?pipeline=land-ledger&state=failed')
    await waitFor(() =>
      expect(
        service.calls.some((c) => c.path.includes('pipeline=land-ledger') && c.path.includes('state=failed')),
      ).toBe(true),
    )
    await user.selectOptions(screen.getByLabelText('Time'), 'the last day')
    expect(await screen.findAllByRole('row')).toHaveLength(2)
    await user.selectOptions(screen.getByLabelText('Pipeline'), 'every pipeline')
    expect(address()).toBe('/runs?state=failed&since=day')
  })

  it('says what to do where there is none, asked for or at all', async () => {
    service.on('GET /runs', [])
    open('/runs?state=cancelled')
    expect(await screen.findByText(/No run is as you ask/)).toBeTruthy()
    // A pipeline that is gone can still be asked for.
    expect(screen.getByLabelText<HTMLSelectElement>('State').value).toBe('cancelled')
  })

  it('says why it cannot be shown', async () => {
    service.on('GET /runs', { code: 'database', detail: 'The database does not answer' }, 503)
    open()
    expect(within(await screen.findByRole('alert')).getByText('The database does not answer')).toBeTruthy()
  })
})
