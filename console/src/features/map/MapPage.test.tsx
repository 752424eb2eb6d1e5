// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import MapPage from './MapPage'

const place = (kind: string, name: string, from: [string, string][], isThere = true) => ({
  kind,
  name,
  isThere,
  steps: [],
  from: from.map(([k, n]) => ({ kind: k, name: n })),
})

let service: StubService

beforeEach(() => {
  service = new StubService()
    .on('GET /map', [
      place('feed', 'roll-ledger', []),
      place('pipeline', 'land-ledger', [['feed', 'roll-ledger']]),
      place('table', 'raw.rolls', [['pipeline', 'land-ledger']]),
      place('table', 'mart.planned', [['pipeline', 'land-ledger']], false),
      place('star', 'cloth', [['table', 'raw.rolls']]),
    ])
    .on('GET /feeds', [{ name: 'roll-ledger', paused: { why: 'holidays' } }])
    .on('GET /pipelines', [{ name: 'land-ledger', lastRun: { id: 7, state: 'failed' } }])
    .on('GET /tables', [{ name: 'raw.rolls', updatedAt: '2026-11-29T10:00:00Z' }])
    .install()
})

const open = (at = '/map') => show(<MapPage />, { path: '/map', at })
/** By its title, which this environment does not take for the name of what is drawn. */
const box = async (title: RegExp) => {
  const all = await waitFor(() => {
    const there = [...document.querySelectorAll<SVGGElement>('g[role=button]')]
    expect(there.length).toBeGreaterThan(0)
    return there
  })
  return waitFor(() => {
    const one = all.find((g) => title.test(g.querySelector('title')?.textContent ?? ''))
    expect(one).toBeTruthy()
    return one!
  })
}
const address = () => screen.getByLabelText('address').textContent

describe('the map', () => {
  it('says of each place what it is and how it is', async () => {
    open()

    expect(await box(/feed roll-ledger: paused/)).toBeTruthy()
    expect(await box(/pipeline land-ledger: failed, run 7/)).toBeTruthy()
    expect(await box(/table raw.rolls: as of 2026-11-29/)).toBeTruthy()
    expect(screen.getByRole('group', { name: '5 places' })).toBeTruthy()
  })

  it('tells by the keyboard what a change touches, and goes there', async () => {
    const user = userEvent.setup()
    open()

    ;(await box(/pipeline land-ledger/)).focus()
    await user.keyboard('{Enter}')
    expect(address()).toBe('/map?at=pipeline%3Aland-ledger')
    const told = document.querySelector<HTMLElement>('[role=status]')!
    expect(told.textContent).toContain('comes from 1 feed')
    expect(told.textContent).toContain('touches 2 tables, 1 star')
    expect((await box(/feed roll-ledger/)).getAttribute('opacity')).toBe('1')
    await user.click(within(told).getByRole('link', { name: 'Open it' }))
    expect(address()).toBe('/pipelines/land-ledger')
  })

  it('shows a picked place by its address, pales the others, and lets go of it', async () => {
    const user = userEvent.setup()
    open('/map?at=table%3Amart.planned')

    expect(await screen.findByText('no run has written it yet')).toBeTruthy()
    expect((await box(/star cloth/)).getAttribute('opacity')).toBe('0.25')
    await user.click(screen.getByRole('button', { name: 'Show all' }))
    await waitFor(async () => expect((await box(/star cloth/)).getAttribute('opacity')).toBe('1'))
  })

  it('says where nothing is there yet, and why it cannot be drawn', async () => {
    service.on('GET /map', [])
    const empty = open()
    expect(await screen.findByText(/Nothing is here yet/)).toBeTruthy()
    empty.unmount()

    service.on('GET /map', { code: 'database', detail: 'The database does not answer' }, 503)
    open()
    expect(await screen.findByText('The database does not answer')).toBeTruthy()
  })

  it('says what hangs on a column of a table', async () => {
    const user = userEvent.setup()
    service
      .on('POST /query', {
        columns: [],
        rows: [
          ['len_m', 'int'],
          ['note', 'varchar'],
        ],
      })
      .on('GET /map/column', {
        lost: [
          { table: 'raw.rolls', columns: ['len_m'] },
          { table: 'mart.rolls', columns: ['len_m'] },
        ],
        broken: [{ place: { kind: 'pipeline', name: 'sums' }, why: ['by: There is no column [len_m]'] }],
      })
    open('/map?at=table:raw.rolls')

    await screen.findByRole('option', { name: 'len_m' })
    await user.selectOptions(screen.getByLabelText('What hangs on its column'), 'len_m')
    expect(await screen.findByText(/Without it 1 document would not hold/)).toBeTruthy()
    expect(screen.getByText('by: There is no column [len_m]')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'pipeline sums' }).getAttribute('href')).toBe('/pipelines/sums')
    expect(screen.getByRole('link', { name: 'mart.rolls' })).toBeTruthy()

    service.on('GET /map/column', { lost: [{ table: 'raw.rolls', columns: ['note'] }], broken: [] })
    await user.selectOptions(screen.getByLabelText('What hangs on its column'), 'note')
    expect(await screen.findByText(/Nothing would break without it/)).toBeTruthy()
  })
})
