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
})
