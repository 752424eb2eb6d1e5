// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { Failed } from '../../shared/ui/parts'
import { useEdits } from './edits'
import StepPanel from './StepPanel'
import TestsCard from './TestsCard'
import TrialCard from './TrialCard'
import type { Schemas } from '../../shared/api/client'

const column = (name: string, type = 'int', change = 'same') => ({ name, type, change })

const preview = (more = {}) => ({
  step: 'tidy',
  verb: 'shape',
  columns: [column('bale'), column('hall', 'varchar'), column('year', 'int', 'new')],
  rows: [
    [1, 'North ', 2026],
    [2, null, 2026],
  ],
  given: 2,
  isWhole: false,
  lost: ['note'],
  sources: [
    {
      step: 'bales',
      kind: 'feed',
      name: 'bales',
      rows: 1000,
      looksUp: false,
      words: 'first 1,000 rows of bales',
    },
  ],
  account: [],
  notes: ['feed bales: 1 rows do not fit'],
  elapsedMillis: 12,
  ...more,
})

const steps = [
  { name: 'bales', verb: 'read', from: [], columns: [] },
  { name: 'tidy', verb: 'shape', from: ['bales'], columns: [] },
  { name: 'out', verb: 'write', from: ['tidy'], columns: [] },
] as unknown as Schemas['StepView'][]

let service: StubService
const onEdit = vi.fn()

beforeEach(() => {
  onEdit.mockReset()
  service = new StubService()
    .on('POST /pipelines/preview', preview())
    .on('GET /steps', [
      { verb: 'keep', about: 'Keeps the rows.', inputs: 'one', fields: [], examples: ['a > 1'] },
      { verb: 'dedupe', about: 'Keeps one row of the same.', inputs: 'one', fields: [], examples: ['{}'] },
      { verb: 'read', about: 'Rows of a feed.', inputs: 'none', fields: [], examples: ['{}'] },
    ])
    .install()
})

function Panel() {
  const edits = useEdits('new', 'tidy', onEdit)
  return (
    <>
      {edits.error && <Failed error={edits.error.error} />}
      <StepPanel
        text="old"
        draft="new"
        steps={steps}
        step="tidy"
        marked={['tidy']}
        onPasteHere={() => {}}
        edits={edits}
        onClose={() => {}}
      />
    </>
  )
}

const open = () => show(<Panel />)

describe('the rows of a step', () => {
  it('tell what was read, what is new, what is lost and what is not there', async () => {
    open()

    expect(await screen.findByText('2 rows from first 1,000 rows of bales', { exact: false })).toBeTruthy()
    const head = screen.getByRole('columnheader', { name: /^year/ })
    expect(head.className).toContain('fresh')
    expect(screen.getByText('No longer there: note')).toBeTruthy()
    expect(screen.getByText('feed bales: 1 rows do not fit')).toBeTruthy()
    expect(screen.getByText('null')).toBeTruthy()
  })

  it('are counted whole by one click, and found by a condition', async () => {
    const user = userEvent.setup()
    open()

    await user.click(await screen.findByRole('button', { name: 'count all' }))
    await user.type(screen.getByLabelText('Only rows where'), 'bale = 2{Enter}')

    await waitFor(() => {
      const asked = service.calls.filter((c) => c.path === '/pipelines/preview').map((c) => c.body)
      expect(asked.at(-1)).toMatchObject({ text: 'old', step: 'tidy', whole: true, where: 'bale = 2' })
    })
  })

  it('show what a step changed and took away', async () => {
    service.on(
      'POST /pipelines/preview',
      preview({
        comparison: {
          words: '2 of 3 rows',
          columns: [column('bale'), column('hall', 'varchar'), column('note', 'varchar')],
          rows: [
            { number: 1, before: [1, 'North ', 'x'], after: [1, 'North', 2026], changed: ['hall'] },
            { number: 2, before: [2, 'East', 'y'], after: [2, 'East', 2026], changed: [] },
            { number: 3, before: [3, 'West', 'z'], changed: [], reason: 'merged' },
          ],
        },
      }),
    )
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('tab', { name: 'before and after' }))

    const gone = (await screen.findByText('merged')).closest('tr')!
    expect(gone.className).toBe('gone')
    expect(within(gone).getByText('West').closest('s')).not.toBeNull()
    expect(screen.queryByText('East')).toBeNull()
    await user.click(screen.getByLabelText('only rows that change'))
    expect(screen.getByText('East')).toBeTruthy()
  })

  it('give way to what the service says when a step has errors', async () => {
    service.on(
      'POST /pipelines/preview',
      { detail: 'There is no column [x]', code: 'wrong', fix: 'Mend it' },
      422,
    )
    open()

    expect(await screen.findByRole('alert')).toHaveProperty(
      'textContent',
      expect.stringContaining('Mend it.'),
    )
  })
})

describe('changing the flow', () => {
  it('puts the chosen step between this one and those that read it', async () => {
    service.on('POST /pipelines/edit/add', { text: 'with it', step: 'once' })
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('button', { name: 'Add a step behind' }))
    await user.keyboard('same')
    await user.click(screen.getByRole('button', { name: /dedupe/ }))

    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('with it', 'once'))
    expect(service.made('POST').at(-1)).toBe(
      '/pipelines/edit/add {"text":"new","verb":"dedupe","behind":"tidy","readers":["out"]}',
    )
    expect(screen.queryByRole('button', { name: /^read/ })).toBeNull()
  })

  it('says why a step cannot be taken out', async () => {
    service.on(
      'POST /pipelines/edit/remove',
      { detail: 'Step [tidy] stays', code: 'cannot-edit', fix: '' },
      422,
    )
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('button', { name: 'Take out' }))

    expect(await screen.findByText('Step [tidy] stays')).toBeTruthy()
    expect(onEdit).not.toHaveBeenCalled()
  })

  it('puts in what mends a column', async () => {
    service
      .on('POST /pipelines/profile', {
        of: 'tidy',
        rows: 2,
        sources: [],
        notes: [],
        elapsedMillis: 1,
        columns: [
          {
            name: 'hall',
            type: 'varchar',
            nulls: 1,
            distinct: 1,
            isExact: true,
            smallest: 'North ',
            largest: 'North ',
            quantiles: [],
            commonest: [],
            shapes: [],
            histogram: [],
            findings: [{ code: 'blank-ends', words: '1 values have blanks', offer: 'shape: {trim: [hall]}' }],
          },
        ],
      })
      .on('POST /pipelines/edit/add', { text: 'mended', step: 'tidy_2' })
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('tab', { name: 'profile' }))
    await user.click(await screen.findByRole('button', { name: /put it in/ }))

    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('mended', 'tidy_2'))
    expect(service.made('POST').at(-1)).toContain('"verb":"shape","body":"{trim: [hall]}"')
  })
})

describe('tests', () => {
  it('are made of a step and kept', async () => {
    service
      .on('POST /pipelines/preview/test', { text: 'test: tidy-rows' })
      .on('PUT /tests/tidy-rows', { name: 'tidy-rows', of: 'p' })
    const user = userEvent.setup()
    open()
    await user.click(await screen.findByRole('button', { name: 'Keep as a test' }))

    expect(await screen.findByText('Kept as tidy-rows.')).toBeTruthy()
    expect(service.made('PUT')).toEqual(['/tests/tidy-rows {"text":"test: tidy-rows"}'])
  })

  it('run against the text as it stands, and show what differs', async () => {
    service.on('GET /tests', [{ name: 'late', of: 'p' }]).on('POST /tests/run', [
      {
        test: 'late',
        pipeline: 'p',
        passed: false,
        problems: [],
        elapsedMillis: 3,
        outcomes: [
          {
            step: 'once',
            passed: false,
            words: '2 rows',
            columns: ['id'],
            missing: [['41']],
            surplus: [[null]],
          },
        ],
      },
    ])
    const user = userEvent.setup()
    show(<TestsCard pipeline="p" text="as it stands" />)
    await user.click(await screen.findByRole('button', { name: 'Run the tests' }))

    const rows = await screen.findAllByRole('row')
    expect(rows.map((r) => r.textContent)).toEqual(['rowid', 'expected41', 'camenull'])
    expect(service.made('POST').at(-1)).toBe('/tests/run {"of":"p","pipeline":"as it stands"}')
  })
})

describe('a trial', () => {
  it('tells what would change, and marks the values that would', () => {
    const trial = {
      pipeline: 'p',
      steps: [],
      balanced: true,
      balance: 'The books balance',
      setAsideByReason: { 'wrong-type': 3 },
      checks: [{ step: 'c', rule: 'r', outcome: 'warned', rows: 1, failed: 1, words: 'not so' }],
      warnings: ['look at it'],
      elapsedMillis: 5,
      tables: [
        {
          step: 'out',
          table: 'mart.p',
          before: 2,
          after: 2,
          columns: ['bale', 'kg'],
          columnsAdded: [],
          columnsRemoved: [],
          changedColumns: { kg: 1 },
          examples: [
            { kind: 'before', values: [1, 5] },
            { kind: 'after', values: [1, 6] },
          ],
          words: 'mart.p would go from 2 to 2 rows: 1 changed',
        },
      ],
    } as unknown as Schemas['TrialView']
    show(<TrialCard trial={trial} onClose={() => {}} />)

    expect(screen.getByText('mart.p would go from 2 to 2 rows: 1 changed')).toBeTruthy()
    expect(screen.getByText('6').closest('td')?.className).toContain('fresh')
    expect(screen.getAllByText('1').every((e) => !e.closest('td')?.className.includes('fresh'))).toBe(true)
    for (const said of ['look at it', 'c, r: not so', '3 rows set aside: wrong-type']) {
      expect(screen.getByText(said)).toBeTruthy()
    }
  })
})
