// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { SetAsidePanel } from './SetAsidePanel'

const row = (number: number, more = {}) => ({
  number,
  file: 'ledger/1.csv',
  line: number + 1,
  byteOffset: 40 * number,
  original: `R${number},12x`,
  state: 'open',
  failures: [{ field: 'metres', reason: 'wrong-type', message: '[12x] is not a valid decimal(9, 2)' }],
  ...more,
})

let service: StubService

const open = (published = true) =>
  show(<SetAsidePanel run={9} published={published} reasons={{ 'wrong-type': 2, missing: 1 }} />)

beforeEach(() => {
  service = new StubService()
    .on('GET /runs/9/set-aside', { total: 3, rows: [row(1), row(2, { state: 'replayed' })] })
    .on('POST /runs/9/set-aside/1/check', { fits: true, failures: [], columns: ['roll'], values: ['R1'] })
    .install()
})

const asked = () => service.calls.filter((c) => c.method === 'GET').map((c) => c.path)

describe('rows that a run has set aside', () => {
  it('say why, and how many there are that are not shown', async () => {
    open()

    expect(await screen.findByText('R1,12x')).toBeTruthy()
    expect(screen.getAllByText(/is not a valid decimal/)).toHaveLength(2)
    expect(screen.getByText(/The first 2 of 3/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'every reason · 3' }).getAttribute('aria-pressed')).toBe('true')
  })

  it('are narrowed by reason and state, and an empty choice says so', async () => {
    const user = userEvent.setup()
    open()

    await user.click(await screen.findByRole('button', { name: 'missing · 1' }))
    await waitFor(() => expect(asked().some((p) => p.includes('reason=missing'))).toBe(true))
    service.on('GET /runs/9/set-aside', { total: 0, rows: [] })
    await user.selectOptions(screen.getByLabelText('State'), 'corrected')
    expect(await screen.findByText(/No row is as you ask/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Replay these' })).toBeTruthy()
  })

  it('are corrected as a text that is checked while it is written', async () => {
    const user = userEvent.setup()
    service
      .on('PUT /runs/9/set-aside/1', {})
      .on('POST /runs/9/set-aside/replay', { message: '1 row replayed' })
    open()

    await user.click(await screen.findByRole('button', { name: 'correct' }))
    const form = within(screen.getByRole('region', { name: 'Correct row 1' }))
    expect(form.getByRole<HTMLButtonElement>('button', { name: 'Correct and replay' }).disabled).toBe(true)
    fireEvent.change(form.getByLabelText('The record'), { target: { value: 'R1,12' } })
    await waitFor(() =>
      expect(form.getByRole<HTMLButtonElement>('button', { name: 'Correct and replay' }).disabled).toBe(
        false,
      ),
    )
    await user.click(form.getByRole('button', { name: 'Correct and replay' }))
    await waitFor(() => expect(service.made('POST').at(-1)).toBe('/runs/9/set-aside/replay {"rows":[1]}'))
    expect(service.made('PUT')).toEqual(['/runs/9/set-aside/1 {"text":"R1,12"}'])
  })

  it('tell what is still wrong with a correction, and keep it back', async () => {
    const user = userEvent.setup()
    service.on('POST /runs/9/set-aside/1/check', {
      fits: false,
      failures: [{ field: 'metres', message: '[twelve] is not a valid decimal(9, 2)' }],
      columns: [],
      values: [],
    })
    open()

    await user.click(await screen.findByRole('button', { name: 'correct' }))
    expect(await screen.findByText(/twelve/)).toBeTruthy()
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Keep the correction' }).disabled).toBe(true)
  })

  it('cannot be replayed into a run that published nothing, and failures are told', async () => {
    service.on('GET /runs/9/set-aside', { code: 'gone', detail: 'The rows of run 9 are kept no longer' }, 410)
    open(false)

    expect(await screen.findByText(/kept no longer/)).toBeTruthy()
    const replay = screen.getByRole<HTMLButtonElement>('button', { name: 'Replay all' })
    expect(replay.disabled).toBe(true)
    expect(replay.title).toContain('did not publish')
  })
})
