// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState } from 'react'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Schemas } from '../../../shared/api/client'
import { StubService, show } from '../../../shared/testing/service'
import { changes, control, doubled, fromPairs, source, type Field } from './model'
import { useEdits } from '../edits'
import StepForm from './StepForm'

const field = (name: string, kind: Field['kind'], more: Partial<Field> = {}): Field => ({
  name,
  kind,
  required: false,
  otherwise: '',
  words: [],
  help: `help of ${name}`,
  fields: [],
  ...more,
})

const JOIN = {
  verb: 'join',
  about: 'Joins.',
  inputs: 'one_and_another',
  examples: [],
  fields: [
    field('with', 'step', { required: true }),
    field('on', 'keys'),
    field('kind', 'word', { words: ['inner', 'left'], otherwise: 'inner' }),
    field('take', 'column_choice'),
  ],
}
const SHAPE = {
  verb: 'shape',
  about: 'Shapes.',
  inputs: 'one',
  examples: [],
  fields: [field('set', 'expressions')],
}
const CHECK = {
  verb: 'check',
  about: 'Checks.',
  inputs: 'one',
  examples: [],
  fields: [field('', 'named_fields', { fields: [field('in', 'texts'), field('column', 'column')] })],
}

const column = (name: string, type = 'varchar') => ({ name, type })
const step = (name: string, verb: string, from: string[], columns: Schemas['StepColumn'][], more = {}) => ({
  name,
  verb,
  detail: '',
  from,
  columns,
  place: { line: 4, column: 3, endLine: 4, endColumn: 9 },
  ...more,
})
const steps = [
  step('rolls', 'read', [], [column('loom'), column('metres', 'int')]),
  step('looms', 'read', [], [column('loom'), column('hall')]),
  step('placed', 'join', ['rolls'], [column('loom'), column('metres', 'double'), column('hall')], {
    with: 'looms',
  }),
] as Schemas['StepView'][]

const TEXT = 'steps: {placed: {join: {on: [lom]}}}'
const WRONG = {
  severity: 'error',
  code: 'unknown-column',
  step: 'placed',
  field: 'join.on',
  message: 'There is no column [lom]; did you mean [loom]?',
  fix: 'loom',
  place: { line: 1, column: 30, endLine: 1, endColumn: 32 },
} as Schemas['Problem']

let service: StubService
const onEdit = vi.fn()

function Page({ problems }: { problems: Schemas['Problem'][] }) {
  const [draft, setDraft] = useState(TEXT)
  onEdit.mockImplementation(setDraft)
  const edits = useEdits(draft, 'placed', onEdit)
  return (
    <StepForm
      text={draft}
      draft={draft}
      steps={steps}
      step="placed"
      problems={problems}
      edits={edits}
      onEdit={onEdit}
    />
  )
}

const open = (problems: Schemas['Problem'][] = []) => show(<Page problems={problems} />)
const says = (fields: object) => service.on('POST /pipelines/edit/fields', { fields })
const sets = () =>
  service.calls.filter((c) => c.path.endsWith('/set')).map((c) => c.body as Record<string, unknown>)

beforeEach(() => {
  onEdit.mockReset()
  service = new StubService()
    .on('GET /steps', [JOIN, CHECK, SHAPE])
    .on('GET /feeds', [])
    .on('GET /tables', [])
    .on('POST /pipelines/edit/set', { text: 'changed', step: 'placed' })
    .install()
  says({ from: 'rolls', join: { with: 'looms', on: ['loom'], take: { except: ['note'] } } })
})

describe('the form of a step', () => {
  it('shows what the step says, and sets a field in the text', async () => {
    const user = userEvent.setup()
    open()

    const form = await screen.findByRole('form', { name: 'Form of placed' })
    expect(within(form).getByLabelText<HTMLInputElement>('with').value).toBe('looms')
    // What a control cannot show stays as it is written.
    expect(within(form).getByLabelText<HTMLInputElement>('take, as text').value).toBe('{except: [note]}')

    await user.selectOptions(within(form).getByLabelText('Add a field to join'), 'kind')
    await user.selectOptions(within(form).getByLabelText('kind'), 'left')
    await waitFor(() => expect(onEdit).toHaveBeenCalledWith('changed', 'placed'))
    expect(sets()).toEqual([{ text: TEXT, step: 'placed', field: ['join', 'kind'], value: 'left' }])
  })

  it('begins each change from the text that the one before left', async () => {
    const user = userEvent.setup()
    open()

    await user.type(await screen.findByLabelText('New name in on'), 'hall{Enter}')
    await user.click(screen.getByRole('button', { name: 'Remove take' }))
    await waitFor(() => expect(sets()).toHaveLength(2))
    expect(sets()[0]).toMatchObject({ text: TEXT, field: ['join', 'on'], value: ['loom', 'hall'] })
    expect(sets()[1]).toEqual({ text: 'changed', step: 'placed', field: ['join', 'take'] })
  })

  it('shows what expressions give of the rows before the step, asked at once', async () => {
    says({
      from: 'rolls',
      shape: { set: { twice: 'metres * 2', wrong: '1 / 0', other: 'renamed', long: 'metres > 90' } },
    })
    service.on('POST /pipelines/preview/values', [
      { type: 'int', first: [24, null, 50], count: 1000 },
      { first: [], count: 0, failed: 'Division by zero: [1] / 0' },
      { first: [], count: 0, refused: 'There is no column [renamed]' },
      { type: 'boolean', first: [true], count: 1000, holds: 812 },
    ])
    open()

    expect((await screen.findByText(/^gives/)).textContent).toBe('gives 24, null, 50 …, int')
    expect(screen.getByText('Division by zero: [1] / 0')).toBeTruthy()
    expect(screen.queryByText(/There is no column/)).toBeNull()
    expect(screen.getByText(/^true for/).textContent).toBe('true for 812 of the 1,000 rows read')
    const asked = service.calls.filter((c) => c.path.endsWith('/values')).map((c) => c.body)
    expect(asked).toEqual([
      { text: TEXT, step: 'placed', expressions: ['metres * 2', '1 / 0', 'renamed', 'metres > 90'] },
    ])
  })

  it('tells what is wrong at the field, with its fix', async () => {
    open([WRONG, WRONG])

    const fix = await screen.findByRole('button', { name: 'Put loom there' })
    expect(screen.getAllByText(/There is no column \[lom\]/)).toHaveLength(1)
    await userEvent.click(fix)
    expect(onEdit).toHaveBeenCalledWith('steps: {placed: {join: {on: [loom]}}}', 'placed')
  })

  it('settles columns that both sides of a join have by one click', async () => {
    open([
      {
        ...WRONG,
        code: 'ambiguous-column',
        field: 'join',
        fix: undefined,
        message: '[hall] is on both sides',
      },
    ])

    // Both have [loom], which is the key.
    expect(await screen.findByText(/Both sides have/)).toBeTruthy()
    await userEvent.click(screen.getByRole('button', { name: 'Both: the other one as looms_…' }))
    await waitFor(() => expect(sets()).toHaveLength(1))
    expect(sets()[0]).toMatchObject({ field: ['join', 'prefix'], value: 'looms_' })
    const both = [step('a', 'read', [], [column('x'), column('y')]), ...steps] as Schemas['StepView'][]
    const joined = { ...steps[2]!, from: ['a'], with: 'a' }
    expect(doubled(both, joined, { on: ['x'], take: ['y', 'z'] })).toEqual({
      names: ['y'],
      prefix: 'a_',
      take: ['z'],
    })
    expect(doubled(both, joined, { on: ['x'] })?.take).toEqual({ except: ['y'] })
  })

  it('is switched off and on without losing anything', async () => {
    open()

    await userEvent.click(await screen.findByLabelText('on'))
    await waitFor(() => expect(sets()).toHaveLength(1))
    expect(sets()[0]).toMatchObject({ field: ['off'], value: 'true' })
  })

  it('holds named fields, and tells what the service refuses', async () => {
    says({ from: 'rolls', check: { grades: { in: ['A', 'B'], column: 'grade' } } })
    service.on('POST /pipelines/edit/set', { detail: 'It cannot stand there', code: 'cannot-edit' }, 422)
    const user = userEvent.setup()
    open()

    await user.click(await screen.findByRole('button', { name: 'Remove B from grades in' }))
    expect(await screen.findByText('It cannot stand there')).toBeTruthy()
    expect(sets()[0]).toMatchObject({ field: ['check', 'grades', 'in'], value: ['A'] })
    expect(onEdit).not.toHaveBeenCalled()
    await user.type(screen.getByLabelText('Add to check'), 'ids{Enter}')
    await waitFor(() => expect(sets()).toHaveLength(2))
    expect(sets()[1]).toMatchObject({ text: TEXT, field: ['check', 'ids'], value: {} })
  })

  it('lists columns that are new, of another type, and gone', () => {
    expect(changes(steps, steps[2]).map((c) => `${c.name} ${c.change}`)).toEqual([
      'loom same',
      'metres other type',
      'hall same',
    ])
    const dropped = { ...steps[2]!, with: undefined, columns: [column('hall')] }
    expect(changes(steps, dropped).map((c) => `${c.name} ${c.change}`)).toEqual([
      'hall new',
      'loom gone',
      'metres gone',
    ])
  })
})

describe('a value and its control', () => {
  it('go together only where the control shows all of it', () => {
    const keys = field('on', 'keys')
    expect(control(keys, ['a'])).toBe('pairs')
    expect(control(keys, { a: 'b' })).toBe('pairs')
    expect(control(keys, [['a']])).toBe('source')
    expect(control(field('by', 'columns'), { of: 'text' })).toBe('source')
    expect(control(field('alike', 'fields'), 'x')).toBe('source')
    expect(
      fromPairs(keys, [
        ['a', 'a'],
        ['b', ''],
      ]),
    ).toEqual(['a', 'b'])
    expect(
      fromPairs(keys, [
        ['a', 'x'],
        ['b', ''],
      ]),
    ).toEqual({ a: 'x', b: 'b' })
    expect(fromPairs(keys, [[' ', 'x']])).toBeUndefined()
    expect(source({ of: ['text', 'a, b'], at: '-1' })).toBe('{of: [text, "a, b"], at: -1}')
  })
})
