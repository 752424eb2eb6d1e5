// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import FeedPage from './FeedPage'

const intake = (run: number, records: number, setAside: number) => ({
  run,
  takenAt: '2026-01-05T10:00:00Z',
  files: 1,
  records,
  setAside,
})

const file = (path: string, more = {}) => ({
  path,
  sizeBytes: 900,
  modifiedAt: '2026-01-05T10:00:00Z',
  fate: 'new',
  takenBy: [],
  ...more,
})

const feed = (more = {}) => ({
  name: 'lots',
  about: 'Lots of yarn.',
  format: 'xml',
  version: 2,
  text: 'feed: lots',
  columns: [{ name: 'lot_id', type: 'varchar', required: true, source: '@id' }],
  files: [
    file('lots/a.xml', { takenBy: [{ pipeline: 'land', run: 3, records: 120, setAside: 3 }], fate: 'taken' }),
    file('lots/b.xml', {
      fate: 'quarantine',
      held: { why: 'cut off', by: 'ines', at: '2026-01-05T10:00:00Z' },
    }),
  ],
  history: [intake(2, 100, 0), intake(3, 120, 3)],
  versions: [{ version: 2, savedBy: 'ines', savedAt: '2026-01-05T10:00:00Z' }],
  ...more,
})

let service: StubService

beforeEach(() => {
  service = new StubService()
    .on('GET /feeds/lots', feed())
    .on('GET /feeds/lots/changes', { version: 2, acceptable: false, changes: [], text: '' })
    .install()
})

const open = () => show(<FeedPage />, { path: '/feeds/:name', at: '/feeds/lots' })

describe('the page of a feed', () => {
  it('shows what came in over time, and how much of the last was set aside', async () => {
    open()

    const chart = await screen.findByRole('group', { name: 'Records of the last 2 intakes' })
    expect(
      within(chart)
        .getAllByRole('link')
        .map((l) => l.getAttribute('href')),
    ).toEqual(['/runs/2', '/runs/3'])
    expect(screen.getByText('2.50 %')).toBeTruthy()
    expect(screen.getByRole('row', { name: 'lot_id varchar @id required' })).toBeTruthy()
  })

  it('says what to do when nothing has come in', async () => {
    service.on('GET /feeds/lots', feed({ history: [], files: [] }))
    open()

    expect(await screen.findByText(/Nothing has been taken in yet/)).toBeTruthy()
    expect(screen.queryByRole('tab', { name: 'Rows' })).toBeNull()
  })

  it('puts a file into quarantine and gives one back', async () => {
    service.on('POST /feeds/lots/quarantine', {}).on('POST /feeds/lots/release', {})
    open()
    await userEvent.click(await screen.findByRole('tab', { name: 'Files · 2' }))

    expect(screen.getByText('in quarantine: cut off')).toBeTruthy()
    await userEvent.click(screen.getByRole('button', { name: 'Quarantine' }))
    await userEvent.click(screen.getByRole('button', { name: 'Give back' }))

    await waitFor(() =>
      expect(service.made('POST')).toEqual([
        '/feeds/lots/quarantine {"paths":["lots/a.xml"]}',
        '/feeds/lots/release {"paths":["lots/b.xml"]}',
      ]),
    )
  })

  it('shows the first rows of the newest file, and what would be set aside', async () => {
    service.on('POST /feeds/preview', {
      file: 'lots/b.xml',
      files: [],
      columns: [{ name: 'lot_id', type: 'varchar' }],
      rows: [['Y1'], [null]],
      setAside: [{ line: 7, original: '<lot/>', failures: ['lot_id: missing-value, a value is required'] }],
      raw: '',
      strays: [],
    })
    open()
    await userEvent.click(await screen.findByRole('tab', { name: 'Rows' }))

    expect(await screen.findByText('Y1')).toBeTruthy()
    expect(screen.getByText('null')).toBeTruthy()
    expect(screen.getByText(/line 7 would be set aside: lot_id: missing-value/)).toBeTruthy()
    expect(service.made('POST')[0]).toContain('"file":"lots/b.xml"')
  })
})
