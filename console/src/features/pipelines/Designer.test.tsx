// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { StubService, show } from '../../shared/testing/service'
import { Designer } from './Designer'
import { copied } from './model'

const TEXT = `pipeline: p
steps:
  rolls:
    read: {feed: rolls}
  # blanks of the scale
  tidy:
    from: rolls
    shape: {trim: {of: text}}

  out:
    from: tidy
    write: {table: mart.out}
`
const place = { line: 1, column: 1, endLine: 1, endColumn: 1 }
const steps = [
  { name: 'rolls', verb: 'read', detail: 'feed rolls', from: [], columns: [], place },
  { name: 'looms', verb: 'read', detail: 'feed looms', from: [], columns: [], place },
  { name: 'tidy', verb: 'shape', detail: '', from: ['rolls'], columns: [], place },
  { name: 'out', verb: 'write', detail: 'mart.out', from: ['tidy'], columns: [], place },
] as Schemas['StepView'][]

let service: StubService
const onEdit = vi.fn()
const onPick = vi.fn()
const titled = (title: string) =>
  [...document.querySelectorAll<SVGGElement>('g[role=button]')].find((g) =>
    g.querySelector('title')?.textContent?.startsWith(title),
  )!
const bar = (name: string) => titled(`${name}, `)
const sent = (path: string) =>
  service.calls.filter((c) => c.path === `/pipelines/edit/${path}`).map((c) => c.body)

const open = (flow = steps, picked?: string) =>
  show(
    <Designer
      title="Flow"
      flow={flow}
      pale={false}
      settled={TEXT}
      steps={flow}
      problems={[]}
      draft={TEXT}
      picked={picked}
      onPick={onPick}
      onEdit={onEdit}
    />,
  )

beforeEach(() => {
  onEdit.mockReset()
  onPick.mockReset()
  const edited = { text: 'edited', step: 'kept' }
  service = new StubService()
    .on('GET /steps', [
      { verb: 'keep', about: 'Keeps rows.', inputs: 'one', fields: [], examples: ['a > 1'] },
    ])
    .on('GET /feeds', [{ name: 'roll-ledger' }])
    .on('GET /tables', [{ name: 'mill.looms' }])
    .on('POST /pipelines/edit/add', edited)
    .on('POST /pipelines/edit/remove', edited)
    .on('POST /pipelines/edit/paste', {
      text: 'pasted',
      steps: ['tidy_2'],
      renamed: { tidy: 'tidy_2' },
      inputs: [{ name: 'rolls', chosen: 'rolls' }],
    })
    .install()
})

describe('the flow that is worked on', () => {
  it('takes a step between two, and joins what is dragged', async () => {
    const user = userEvent.setup()
    open()

    await user.click(titled('Put a step between tidy and out'))
    await user.click(await screen.findByRole('button', { name: /^keep/ }))
    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('edited', 'kept'))
    expect(sent('add')[0]).toEqual({ text: TEXT, verb: 'keep', behind: 'tidy', readers: ['out'] })

    const at = (name: string) => {
      const rect = bar(name).querySelectorAll('rect')[1]!
      return { clientX: Number(rect.getAttribute('x')) + 4, clientY: Number(rect.getAttribute('y')) + 4 }
    }
    fireEvent.pointerDown(bar('looms'), at('looms'))
    fireEvent.pointerMove(bar('looms'), at('tidy'))
    fireEvent.pointerUp(bar('tidy'), at('tidy'))
    await waitFor(() => expect(sent('add')).toHaveLength(2))
    expect(sent('add')[1]).toEqual({
      text: 'edited',
      verb: 'join',
      behind: 'tidy',
      other: 'looms',
      readers: ['out'],
    })
  })

  it('is worked by keyboard', async () => {
    const user = userEvent.setup()
    open()

    bar('tidy').focus()
    await user.keyboard('{Enter}')
    expect(onPick).toHaveBeenCalledWith('tidy')
    await user.keyboard('{Shift>}{Enter}{/Shift}')
    expect(screen.getByText('One step is marked; copy or cut takes it.')).toBeTruthy()
    await user.keyboard('akeep')
    expect(screen.getByRole('group', { name: 'behind tidy' })).toBeTruthy()
    expect(screen.getByLabelText<HTMLInputElement>('Search the steps').value).toBe('keep')
    bar('tidy').focus()
    await user.keyboard('{Delete}')
    await waitFor(() => expect(sent('remove')).toEqual([{ text: TEXT, step: 'tidy' }]))
  })

  it('cuts what is marked: its text goes along, and its steps go one after the other', async () => {
    const user = userEvent.setup()
    open()

    bar('rolls').focus()
    await user.keyboard('{Shift>}{Enter}{/Shift}')
    bar('tidy').focus()
    await user.keyboard('{Shift>}{Enter}{/Shift}')
    const setData = vi.fn()
    fireEvent.cut(bar('tidy'), { clipboardData: { setData } })
    expect(setData.mock.calls[0]?.[1]).toContain('tidy:')
    expect(setData.mock.calls[0]?.[1]).toContain('rolls:')
    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('edited', undefined))
    expect(sent('remove')).toEqual([
      { text: TEXT, step: 'rolls' },
      { text: 'edited', step: 'tidy' },
    ])
  })

  it('shows pasted steps before it takes them', async () => {
    const user = userEvent.setup()
    open()

    await user.click(screen.getByRole('button', { name: 'Paste steps' }))
    const panel = await screen.findByRole('group', { name: 'Paste steps' })
    await user.click(within(panel).getByLabelText('Steps to paste'))
    await user.paste('tidy: {from: rolls}')
    expect(await within(panel).findByText(/the pasted one becomes tidy_2/)).toBeTruthy()
    await user.selectOptions(within(panel).getByLabelText('Step in place of rolls'), 'looms')
    await waitFor(() => expect(sent('paste').at(-1)).toMatchObject({ inputs: { rolls: 'looms' } }))
    expect(onEdit).not.toHaveBeenCalled()
    const put = within(panel).getByRole<HTMLButtonElement>('button', { name: 'Put in' })
    await waitFor(() => expect(put.disabled).toBe(false))
    await user.click(put)
    expect(onEdit).toHaveBeenCalledWith('pasted', 'tidy_2')
  })

  it('offers what is on the shelf where nothing is pasted yet, and keeps steps there', async () => {
    service
      .on('GET /shelf', [
        { name: 'tidy-up', about: 'Tidies.', steps: ['tidy'], mine: false, savedBy: 'ana', text: 'tidy: {}' },
        { name: 'other', about: '', steps: ['x'], mine: true, savedBy: 'ana', text: 'x: {}' },
      ])
      .on('PUT /shelf/once', { name: 'once' })
      .on('POST /pipelines/preview', {}, 422)
      .on('POST /pipelines/edit/fields', { fields: {} })
    const user = userEvent.setup()
    open(steps, 'tidy')

    await user.click(screen.getByRole('button', { name: 'Paste steps' }))
    await user.type(await screen.findByLabelText('Search the shelf'), 'tidies')
    expect(screen.queryByRole('button', { name: 'other' })).toBeNull()
    await user.click(screen.getByRole('button', { name: 'tidy-up' }))
    expect(screen.getByLabelText<HTMLTextAreaElement>('Steps to paste').value).toBe('tidy: {}')

    await user.click(await screen.findByRole('button', { name: 'Shelve' }))
    await user.type(screen.getByLabelText('Name on the shelf'), 'once')
    await user.click(screen.getByLabelText('only for me'))
    await user.click(screen.getByRole('button', { name: 'Keep it' }))
    await waitFor(() =>
      expect(service.calls.find((c) => c.method === 'PUT')?.body).toEqual({
        about: '',
        mine: true,
        steps: '# blanks of the scale\ntidy:\n  from: rolls\n  shape: {trim: {of: text}}\n',
      }),
    )
  })

  it('begins with a feed or a table when there is nothing', async () => {
    open([])

    const sources = await screen.findByRole('group', { name: 'Where rows come from' })
    await within(sources).findByRole('option', { name: 'roll-ledger' })
    await userEvent.selectOptions(within(sources).getByLabelText('Rows of a feed'), 'roll-ledger')
    expect(sent('paste')).toEqual([])
    await userEvent.click(within(sources).getByRole('button', { name: 'Read the feed' }))
    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('pasted', 'tidy_2'))
    expect(sent('paste')[0]).toEqual({
      text: TEXT,
      steps: 'roll_ledger:\n  read: {feed: roll-ledger}\n',
    })
  })

  it('copies steps as they stand, with their comments, in the order of the text', () => {
    expect(copied(TEXT, ['out', 'tidy'])).toBe(
      '# blanks of the scale\ntidy:\n  from: rolls\n  shape: {trim: {of: text}}\nout:\n  from: tidy\n  write: {table: mart.out}\n',
    )
    expect(copied(TEXT, ['none'])).toBe('')
  })
})
