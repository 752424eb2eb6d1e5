// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import RunPage from './RunPage'
import RunsPage from './RunsPage'

const tally = (rowsIn: number, rowsOut: number, more = {}) => ({
  state: 'done',
  rowsIn,
  rightIn: 0,
  rowsOut,
  setAside: 0,
  merged: 0,
  filtered: 0,
  unmatched: 0,
  multiplied: 0,
  added: 0,
  folded: 0,
  cpuMillis: 5,
  peakBytes: 0,
  spilledBytes: 0,
  balanced: true,
  ...more,
})

const run = (state: string, more = {}, summary = {}) => ({
  summary: {
    id: 7,
    pipeline: 'land-yard',
    state,
    cause: 'request',
    requestedBy: 'ines',
    documentVersion: 2,
    setAside: 1,
    elapsedMillis: 1500,
    ...summary,
  },
  steps: [
    { name: 'lots', verb: 'read', detail: 'feed yarn-lots', from: [], tally: tally(5, 4, { setAside: 1 }) },
    { name: 'keep', verb: 'write', detail: 'raw.lots', from: ['lots'], tally: tally(4, 4) },
  ],
  setAsideByReason: { 'not-xml': 1 },
  peakBytes: 1000,
  spilledBytes: 0,
  memoryBytes: 2000,
  document: 'pipeline: land-yard',
  parameters: {},
  feedVersions: {},
  balanced: true,
  balance: state === 'failed' ? 'The run failed: nothing was published' : 'The books balance: 5 read',
  warnings: [],
  ...more,
})

let service: StubService

beforeEach(() => {
  service = new StubService().on('GET /runs/7/log', []).on('GET /runs/7/joins', []).install()
})

describe('the page of a run', () => {
  it('shows every step with its counts, and closes the account', async () => {
    service.on('GET /runs/7', run('succeeded'))
    show(<RunPage />, { path: '/runs/:id', at: '/runs/7' })

    const lots = await screen.findByRole('row', { name: /^lots read feed yarn-lots 5 1 4/ })
    expect(lots).toBeTruthy()
    expect(screen.getByText('The books balance: 5 read').style.color).toBe('var(--side)')
    expect(screen.queryByRole('button', { name: 'Run again' })).toBeNull()
  })

  it('of a failed run offers to take the file out of the way, and to run again', async () => {
    const failure = { code: 'feed', message: 'Too many rows', file: { feed: 'yarn-lots', path: 'a/b.xml' } }
    service
      .on('GET /runs/7', run('failed', {}, { failure }))
      .on('POST /feeds/yarn-lots/quarantine', {})
      .on('POST /pipelines/land-yard/runs', { id: 8 })
    show(<RunPage />, { path: '/runs/:id', at: '/runs/7' })

    expect((await screen.findByText('The run failed: nothing was published')).style.color).toBe(
      'var(--set-aside)',
    )
    await userEvent.click(screen.getByRole('button', { name: 'Put a/b.xml into quarantine' }))
    await screen.findByRole('button', { name: 'In quarantine' })
    await userEvent.click(screen.getByRole('button', { name: 'Run again' }))

    await waitFor(() => expect(screen.getByLabelText('address').textContent).toBe('/runs/8'))
    expect(service.made('POST')).toEqual([
      '/feeds/yarn-lots/quarantine {"paths":["a/b.xml"],"why":"stopped run 7"}',
      '/pipelines/land-yard/runs {}',
    ])
  })

  it('shows what changed in the feed that stopped it, and accepts it', async () => {
    const failure = { code: 'feed-changed', step: 'lots', message: 'A field is new' }
    service
      .on('GET /runs/7', run('failed', {}, { failure }))
      .on('GET /feeds/yarn-lots/changes', {
        version: 1,
        acceptable: true,
        changes: [{ kind: 'new', column: 'light', field: 'light', found: '[light] is new in x' }],
        text: '',
      })
      .on('POST /feeds/yarn-lots/accept', { version: 2, accepted: 'new: light', left: ['[tex] is text'] })
    show(<RunPage />, { path: '/runs/:id', at: '/runs/7' })

    await userEvent.click(await screen.findByRole('button', { name: 'Accept as version 2' }))

    expect(await screen.findByText(/change the feed by hand: \[tex\] is text/)).toBeTruthy()
  })

  it('says what failed when there is no such run', async () => {
    service.on('GET /runs/7', { detail: 'There is no run [7]', fix: 'List them', code: 'not-found' }, 404)
    show(<RunPage />, { path: '/runs/:id', at: '/runs/7' })

    const alert = await screen.findByRole('alert')
    expect(within(alert).getByText('There is no run [7]')).toBeTruthy()
    expect(within(alert).getByText('not-found (404)')).toBeTruthy()
  })

  it.each([
    [0, 0],
    [5_000_000, 2],
  ])('tells what went to disk when something did: %d bytes', async (spilledBytes, told) => {
    const [lots, keep] = run('succeeded').steps
    const steps = [lots, { ...keep, tally: tally(4, 4, { spilledBytes }) }]
    service.on('GET /runs/7', run('succeeded', { steps, spilledBytes }))
    show(<RunPage />, { path: '/runs/:id', at: '/runs/7' })

    await screen.findByText('all steps')
    expect(screen.queryAllByText('to disk')).toHaveLength(told / 2)
    expect(screen.queryAllByText('5.0 MB')).toHaveLength(told)
  })
})

describe('the list of runs', () => {
  it('asks for what is chosen, and keeps it in the address', async () => {
    const one = run('failed', {}, { failure: { code: 'feed', message: 'Too many rows' } }).summary
    service
      .on('GET /runs', [{ ...one, rowsIn: 5, rowsOut: 0, warnings: 0 }])
      .on('GET /pipelines', [{ name: 'land-yard' }, { name: 'cloth' }])
    show(<RunsPage />, { path: '/runs' })

    expect(await screen.findByText('Too many rows')).toBeTruthy()
    await screen.findByRole('option', { name: 'cloth' })
    await userEvent.selectOptions(screen.getByLabelText('Pipeline'), 'cloth')
    await userEvent.selectOptions(screen.getByLabelText('State'), 'failed')

    await waitFor(() =>
      expect(screen.getByLabelText('address').textContent).toBe('/runs?pipeline=cloth&state=failed'),
    )
    await waitFor(() =>
      expect(
        service.made('GET').some((c) => c.includes('pipeline=cloth') && c.includes('state=failed')),
      ).toBe(true),
    )
  })
})
