// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import PipelinePage from './PipelinePage'

// An editor needs a window that lays text out.
vi.mock('../../shared/ui/Editor', () => ({
  Editor: ({ value, label }: { value: string; label: string }) => (
    <textarea aria-label={label} value={value} readOnly />
  ),
}))

const step = (name: string, verb: string, from: string[]) => ({
  name,
  verb,
  detail: '',
  from,
  columns: [],
  place: { line: 3, column: 3, endLine: 3, endColumn: 6 },
})

describe('the page of a pipeline', () => {
  it('keeps the last drawing, pale, while its text cannot be read; and what was done can be undone', async () => {
    const service = new StubService()
      .on('GET /pipelines/p', {
        summary: { name: 'p', version: 1, savedAt: '2026-01-05T10:00:00Z', savedBy: 'ines' },
        text: 'kept',
        steps: [],
        problems: [],
        versions: [],
      })
      .on('POST /pipelines/check', {
        sound: true,
        name: 'p',
        problems: [],
        steps: [step('rows', 'read', []), step('out', 'write', ['rows'])],
        forecasts: [],
        lost: [],
      })
      .on('POST /pipelines/preview', {}, 422)
      .on('POST /pipelines/edit/remove', { text: 'changed', step: 'rows' })
      .install()
    const user = userEvent.setup()
    show(<PipelinePage />, { path: '/pipelines/:name', at: '/pipelines/p' })
    const bar = (await screen.findByText(/^out, write/)).closest('g')!
    expect(screen.getByRole('button', { name: 'Undo' })).toHaveProperty('disabled', true)

    service.on('POST /pipelines/check', {
      sound: false,
      name: '?',
      problems: [
        {
          severity: 'error',
          code: 'not-yaml',
          step: '',
          field: '',
          message: 'This is not YAML',
          place: { line: 1, column: 1, endLine: 1, endColumn: 1 },
        },
      ],
      steps: [],
      forecasts: [],
      lost: [],
    })
    await user.click(bar)
    await user.click(await screen.findByRole('button', { name: 'Take out' }))

    expect(await screen.findByText(/This is not YAML/)).toBeTruthy()
    expect(screen.getByText(/^out, write/).closest('.opacity-40')).not.toBeNull()
    expect(screen.getByRole('button', { name: 'Save' })).toHaveProperty('disabled', true)
    await user.click(screen.getByRole('button', { name: 'Undo' }))
    await waitFor(() =>
      expect(service.calls.filter((c) => c.path === '/pipelines/check').at(-1)?.body).toEqual({
        text: 'kept',
      }),
    )
    expect(screen.getByRole('button', { name: 'Redo' })).toHaveProperty('disabled', false)
  })

  it('shows what somebody else kept meanwhile, and puts both together from there', async () => {
    const detail = (version: number, text: string) => ({
      summary: { name: 'p', version, savedAt: '2026-01-05T10:00:00Z', savedBy: 'ines' },
      text,
      steps: [],
      problems: [],
      versions: [],
    })
    const base = 'pipeline: p\nsteps:\n  rows:\n    read: {feed: f}\n  out:\n    from: rows\n'
    const service = new StubService()
      .on('GET /pipelines/p', detail(1, base))
      .on('POST /pipelines/check', {
        sound: true,
        name: 'p',
        problems: [],
        steps: [step('rows', 'read', []), step('out', 'write', ['rows'])],
        forecasts: [],
        lost: [],
      })
      .on('POST /pipelines/preview', {}, 422)
      .on('POST /pipelines/edit/remove', { text: base.replace('feed: f', 'feed: g'), step: 'rows' })
      .on('PUT /pipelines/p', { detail: '[p] was changed', code: 'changed-meanwhile' }, 409)
      .install()
    const user = userEvent.setup()
    show(<PipelinePage />, { path: '/pipelines/:name', at: '/pipelines/p' })
    await user.click((await screen.findByText(/^out, write/)).closest('g')!)
    await user.click(await screen.findByRole('button', { name: 'Take out' }))
    service.on('GET /pipelines/p', detail(2, base + '    write: {table: a.b}\n'))
    const save = await screen.findByRole('button', { name: 'Save' })
    await waitFor(() => expect(save).toHaveProperty('disabled', false))
    await user.click(save)

    expect(await screen.findByText('ines kept version 2 while you wrote')).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Put them together' }))
    await waitFor(() =>
      expect(screen.getByLabelText<HTMLTextAreaElement>("The pipeline's document").value).toBe(
        base.replace('feed: f', 'feed: g') + '    write: {table: a.b}\n',
      ),
    )
    await waitFor(() => expect(save).toHaveProperty('disabled', false))
    await user.click(save)
    await waitFor(() => expect(service.calls.filter((c) => c.method === 'PUT')).toHaveLength(2))
    const based = service.calls
      .filter((c) => c.method === 'PUT')
      .map((c) => (c.body as { basedOn: number }).basedOn)
    expect(based).toEqual([1, 2])
  })
})
