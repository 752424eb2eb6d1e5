import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { range, stepAtLine, suggestions, withCounts } from './model'

const place = (line: number) => ({ line, column: 3, endLine: line, endColumn: 7 })
const steps: Schemas['StepView'][] = [
  {
    name: 'rolls',
    verb: 'read',
    detail: 'feed roll-ledger',
    from: [],
    place: place(3),
    columns: [{ name: 'roll_id', type: 'varchar' }],
  },
  { name: 'tidy', verb: 'shape', detail: '', from: ['rolls'], place: place(5), columns: [] },
  { name: 'publish', verb: 'write', detail: 'mart.x', from: ['tidy'], place: place(9), columns: [] },
]

describe('range', () => {
  it('finds a place in the text', () => {
    expect(range('ab\ncdef\n', { line: 2, column: 2, endLine: 2, endColumn: 3 })).toEqual({ from: 4, to: 6 })
  })

  it('stays inside a text that is shorter than the place', () => {
    expect(range('ab', { line: 9, column: 9, endLine: 9, endColumn: 9 }).to).toBeLessThanOrEqual(2)
  })
})

describe('suggestions', () => {
  it('offers steps behind from, but not the step itself nor writes', () => {
    expect(suggestions('    from: ', steps, 'tidy', [], []).map((s) => s.label)).toEqual(['rolls'])
  })

  it('offers the columns of the inputs inside a step', () => {
    expect(suggestions('    keep: ro', steps, 'tidy', [], [])).toEqual([
      { label: 'roll_id', detail: 'varchar, rolls', kind: 'column' },
    ])
  })

  it('offers verbs, fields and their words from the descriptions of steps', () => {
    const field = (name: string, kind: string, words: string[] = [], fields: unknown[] = []) => ({
      name,
      kind,
      required: false,
      otherwise: '',
      words,
      help: `about ${name}`,
      fields,
    })
    const catalog = [
      {
        verb: 'shape',
        about: 'Shapes.',
        inputs: 'one',
        fields: [field('trim', 'column_choice'), field('if-wrong', 'WORD', ['stop', 'null'])],
        examples: [],
      },
      {
        verb: 'check',
        about: 'Checks.',
        inputs: 'one',
        fields: [
          field(
            '',
            'named_fields',
            [],
            [field('is', 'CONDITION'), field('rows', 'FIELDS', [], [field('at-least', 'COUNT')])],
          ),
        ],
        examples: [],
      },
    ] as unknown as Schemas['StepDescription'][]
    const at = (before: string) => suggestions(before, steps, 'tidy', [], [], catalog).map((s) => s.label)

    expect(at('    s')).toEqual(['shape: {}', 'check: {}'])
    expect(at('      ')).toEqual(['trim: ', 'if-wrong: '])
    expect(at('    shape: {trim: [roll_id], i')).toEqual(['trim: ', 'if-wrong: '])
    expect(at('    shape: {if-wrong: ')).toEqual(['stop', 'null'])
    expect(at('    check: {enough: {')).toEqual(['is: ', 'rows: '])
    expect(at('    check: {enough: {rows: {')).toEqual(['at-least: '])
    expect(at('    shape: {trim: [')).toEqual(['roll_id'])
  })

  it('offers parts by name, and what they can be given', () => {
    const parts = [
      { name: 'tidy-rolls', about: 'One row a roll.', parameters: ['least', 'since'] },
    ] as Schemas['PartSummary'][]
    const at = (before: string) => suggestions(before, steps, 'tidy', [], [], [], parts).map((s) => s.label)

    expect(at('    use: {part: ')).toEqual(['tidy-rolls'])
    expect(at('    use: {part: tidy-rolls, with: {')).toEqual(['least: ', 'since: '])
    expect(at('    use: {part: tidy-rolls, with: {least: 0.5, s')).toEqual(['least: ', 'since: '])
  })

  it('offers feeds by name', () => {
    expect(suggestions('    read: {feed: ', steps, 'rolls', ['looms'], []).map((s) => s.label)).toEqual([
      'looms',
    ])
  })
})

describe('withCounts', () => {
  it('takes counts of steps that are still what they were', () => {
    const tally = { rowsIn: 5 } as Schemas['StepTally']
    const run = {
      steps: [
        { name: 'rolls', verb: 'read', detail: '', from: [], tally },
        { name: 'tidy', verb: 'keep', detail: '', from: [], tally },
      ],
    } as unknown as Schemas['RunDetail']

    expect(withCounts(steps, run).map((s) => s.tally?.rowsIn)).toEqual([5, undefined, undefined])
  })
})

it('knows the step of a line', () => {
  expect([1, 4, 6, 20].map((l) => stepAtLine(steps, l))).toEqual([undefined, 'rolls', 'tidy', 'publish'])
})
