// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import { chartOf, chosenWith, fromAddress, others, toAddress, told, trail, valueAt, without } from './model'
import SamplerPage from './SamplerPage'
import SamplersPage from './SamplersPage'

// The editor measures letters, which this document has none of.
vi.mock('../../shared/ui/Editor', () => ({
  Editor: ({ value, label, onChange }: { value: string; label: string; onChange: (t: string) => void }) => (
    <textarea aria-label={label} value={value} onChange={(e) => onChange(e.target.value)} />
  ),
}))

const block = (name: string, form: string, more = {}) => ({
  name,
  title: '',
  width: 6,
  form,
  kind: '',
  unit: '',
  text: '',
  ...more,
})
const PAGE = {
  name: 'cloth',
  title: 'Cloth',
  about: 'What was woven.',
  choices: [
    { column: 'year', label: 'year', many: false, begins: ['2026'] },
    { column: 'hall', label: 'hall', many: true, begins: [] },
  ],
  paths: { place: ['hall', 'loom'] },
  blocks: [
    block('woven', 'number', { title: 'Metres woven', unit: 'm' }),
    block('halls', 'table', { title: 'Halls' }),
    block('note', 'text', { text: 'Metres *inspected* <script>alert(1)</script>' }),
  ],
} as Schemas['SamplerPage']
const summary = {
  name: 'cloth',
  title: 'Cloth',
  about: '',
  version: 3,
  savedAt: '',
  savedBy: 'ana',
  blocks: 3,
}

const answer = (columns: [string, string][], rows: unknown[][], more = {}) =>
  ({
    rows: {
      columns: columns.map(([name, type]) => ({ name, type })),
      rows,
      truncated: false,
      elapsedMillis: 1,
      notes: [],
    },
    by: [],
    passed: [],
    sql: '',
    at: '2026-01-05T00:00:00Z',
    ...more,
  }) as unknown as Schemas['SamplerAnswer']

let service: StubService
const asked = () =>
  service.calls.filter((c) => c.path === '/samplers/answer').map((c) => c.body as Record<string, unknown>)
const open = (search = '') =>
  show(<SamplerPage />, { path: '/samplers/:name', at: `/samplers/cloth${search}` })

beforeEach(() => {
  service = new StubService()
    .on('GET /samplers/cloth', { summary, text: 'sampler: cloth', page: PAGE })
    .on(
      'POST /samplers/answer',
      answer(
        [
          ['hall', 'varchar'],
          ['metres', 'decimal(9, 2)'],
        ],
        [
          ['North', '1234.5'],
          [null, '7.25'],
        ],
        { by: ['hall'], passed: ['weave'] },
      ),
    )
    .install()
})

describe('a page that is refreshed by itself', () => {
  it('asks anew when its time has come, and says when that is', async () => {
    vi.useFakeTimers({ shouldAdvanceTime: true, now: new Date('2026-03-01T05:00:00Z') })
    try {
      service.on('GET /samplers/cloth', {
        summary,
        text: 'sampler: cloth',
        page: PAGE,
        refreshesAt: '2026-03-01T07:30:00Z',
      })
      open()
      expect(await screen.findByText(/refreshed next/)).toBeTruthy()
      await waitFor(() => expect(asked().some((a) => a.block === 'halls')).toBe(true))
      const before = asked().length
      await vi.advanceTimersByTimeAsync(2 * 3_600_000)
      expect(asked().length).toBe(before)
      await vi.advanceTimersByTimeAsync(1_900_000)
      expect(asked().length).toBeGreaterThan(before)
    } finally {
      vi.useRealTimers()
    }
  })
})

describe('a page of answers', () => {
  it('begins with what it says, and is narrowed by a click, which the address holds', async () => {
    const user = userEvent.setup()
    open()

    const halls = await screen.findByRole('region', { name: 'Halls' })
    await user.click(await within(halls).findByRole('button', { name: 'North' }))
    await waitFor(() =>
      expect(screen.getByLabelText('address').textContent).toBe('/samplers/cloth?year=2026&hall=North'),
    )
    await waitFor(() =>
      expect(asked().at(-1)).toMatchObject({ sampler: 'cloth', chosen: { year: ['2026'], hall: ['North'] } }),
    )
    expect(within(halls).getByText(/not narrowed by weave/)).toBeTruthy()

    expect(screen.getByRole('link', { name: 'on the map' }).getAttribute('href')).toBe(
      '/map?at=sampler:cloth',
    )
    await user.click(screen.getByRole('button', { name: 'Give back hall North' }))
    await user.selectOptions(screen.getByLabelText('year'), 'all')
    await waitFor(() => expect(screen.getByLabelText('address').textContent).toBe('/samplers/cloth?%7E='))
    expect(asked().at(-1)).toMatchObject({ chosen: {} })
  })

  it('shows words without running anything in them', async () => {
    open()

    const note = await screen.findByRole('region', { name: 'note' })
    expect((await within(note).findByText('inspected')).tagName).toBe('EM')
    expect(note.querySelector('script')).toBeNull()
    expect(note.textContent).toContain('<script>')
  })

  it('says what went wrong in a block, and leaves the others', async () => {
    service.on('POST /samplers/answer', { detail: 'There is no table [mart.cloth]', code: 'not-found' }, 404)
    open()

    const woven = await screen.findByRole('region', { name: 'Metres woven' })
    expect(await within(woven).findByText('There is no table [mart.cloth]')).toBeTruthy()
    expect(screen.getByRole('region', { name: 'note' })).toBeTruthy()
  })

  it('is written from an older version again, and saved as the next', async () => {
    service
      .on('GET /samplers/cloth/versions', [summary, { ...summary, version: 2 }])
      .on('GET /samplers/cloth/versions/2', { summary, text: 'sampler: cloth # as it was', page: PAGE })
      .on('POST /samplers/check', { name: 'cloth', sound: true, problems: [], page: PAGE })
      .on('PUT /samplers/cloth', { summary: { ...summary, version: 4 }, text: 'x', page: PAGE })
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('button', { name: 'Text' }))
    await user.selectOptions(await screen.findByLabelText('As it was'), '2')
    await waitFor(() =>
      expect(screen.getByLabelText<HTMLTextAreaElement>("The sampler's document").value).toContain(
        'as it was',
      ),
    )
    const save = screen.getByRole<HTMLButtonElement>('button', { name: 'Save' })
    await waitFor(() => expect(save.disabled).toBe(false))
    await user.click(save)
    await waitFor(() =>
      expect(service.made('PUT')).toEqual([
        '/samplers/cloth {"text":"sampler: cloth # as it was","basedOn":3}',
      ]),
    )
  })

  it('is removed when that is said twice', async () => {
    service.on('DELETE /samplers/cloth', {}, 204)
    const user = userEvent.setup()
    open()
    const remove = await screen.findByRole('button', { name: 'Remove' })
    await user.click(remove)
    expect(service.made('DELETE')).toHaveLength(0)
    await user.click(screen.getByRole('button', { name: 'Remove cloth?' }))
    await waitFor(() => expect(screen.getByLabelText('address').textContent).toBe('/samplers'))
  })

  it('is listed, and says how one is made when there is none', async () => {
    service.on('GET /samplers', [summary])
    const { unmount } = show(<SamplersPage />)
    expect((await screen.findByRole('link', { name: 'Cloth' })).getAttribute('href')).toBe('/samplers/cloth')
    unmount()
    service.on('GET /samplers', [])
    show(<SamplersPage />)
    expect(await screen.findByText(/A sampler is a page of answers/)).toBeTruthy()
  })
})

describe('what is chosen', () => {
  it('goes into an address and back, nulls and odd values too', () => {
    const chosen = { hall: ['North', null, '~', '~x', 'a&b=c'], year: ['2026'] }
    expect(fromAddress(PAGE, toAddress(PAGE, chosen))).toEqual(chosen)
    expect(fromAddress(PAGE, new URLSearchParams())).toEqual({ year: ['2026'] })
    expect(fromAddress(PAGE, toAddress(PAGE, {}))).toEqual({})
  })

  it('is one value or several, is given back, and takes what is below it along', () => {
    const both = chosenWith(PAGE, chosenWith(PAGE, {}, 'hall', 'North'), 'hall', 'East')
    expect(both).toEqual({ hall: ['North', 'East'] })
    expect(chosenWith(PAGE, both, 'hall', 'North')).toEqual({ hall: ['East'] })
    expect(chosenWith(PAGE, { year: ['2025'] }, 'year', '2026')).toEqual({ year: ['2026'] })
    const down = { hall: ['North'], loom: ['L-1'], weave: ['twill'] }
    expect(trail(PAGE.paths.place!, down).map((t) => t.value)).toEqual(['North', 'L-1'])
    expect(others(PAGE, down)).toEqual(['weave'])
    expect(without(PAGE, down, 'hall')).toEqual({ weave: ['twill'] })
    expect(without(PAGE, down, 'loom')).toEqual({ hall: ['North'], weave: ['twill'] })
  })
})

describe('an answer', () => {
  it('is drawn along its first column, a series for each value of the second', () => {
    const grouped = answer(
      [
        ['WEEK', 'int'],
        ['hall', 'varchar'],
        ['metres', 'double'],
        ['rolls', 'bigint'],
      ],
      [],
      { by: ['week', 'hall'] },
    )
    const line = block('b', 'chart', { kind: 'line' }) as Schemas['SamplerBlock']
    expect(chartOf(line, grouped)).toEqual({ kind: 'line', x: 0, by: 1, y: [2] })
    expect(chartOf(line, { ...grouped, by: ['week'] })).toMatchObject({ x: 0, by: undefined, y: [2, 3] })
  })

  it('gives a mark back as the value of its column', () => {
    const dated = answer(
      [
        ['day', 'date'],
        ['at', 'timestamp'],
        ['hall', 'varchar'],
      ],
      [['2026-01-05', '2026-01-05 10:00:00', null]],
    )
    expect(valueAt(dated.rows, 'day', '2026-01-05T00:00:00Z')).toBe('2026-01-05')
    expect(valueAt(dated.rows, 'at', '2026-01-05T10:00:00Z')).toBe('2026-01-05 10:00:00')
    expect(valueAt(dated.rows, 'hall', 'null')).toBeNull()
    expect([told('1234.56'), told(1.666), told(null)]).toEqual(['1,235', '1.67', '–'])
  })
})
