// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { PausedNote, StateButtons } from './StateButtons'

let service: StubService

beforeEach(() => {
  service = new StubService().install()
})

describe('a pipeline or feed as a whole', () => {
  it('is paused, and resumed where it is paused', async () => {
    service.on('POST /feeds/looms/pause', { message: '' }).on('POST /pipelines/cloth/resume', { message: '' })
    show(
      <>
        <StateButtons kind="feeds" name="looms" />
        <StateButtons kind="pipelines" name="cloth" paused="paused by ines" />
        <PausedNote paused="paused by ines" />
      </>,
    )

    await userEvent.click(screen.getByRole('button', { name: 'Pause' }))
    await userEvent.click(screen.getByRole('button', { name: 'Resume' }))

    await waitFor(() =>
      expect(service.made('POST').map((c) => c.split(' ')[0])).toEqual([
        '/feeds/looms/pause',
        '/pipelines/cloth/resume',
      ]),
    )
    expect(screen.getByText('It is paused by ines.')).toBeTruthy()
  })

  it('is removed only when it is said twice, and what uses it is told', async () => {
    service.on(
      'DELETE /feeds/looms',
      { detail: 'Feed [looms] is read by cloth', code: 'in-use', fix: 'Remove these first' },
      409,
    )
    show(<StateButtons kind="feeds" name="looms" />)

    await userEvent.click(screen.getByRole('button', { name: 'Remove' }))
    expect(service.calls).toEqual([])
    await userEvent.click(screen.getByRole('button', { name: 'Really remove' }))

    expect((await screen.findByRole('alert')).textContent).toContain('Feed [looms] is read by cloth')
    expect(screen.getByLabelText('address').textContent).toBe('/')
  })

  it('leaves its page when it is gone', async () => {
    service.on('DELETE /pipelines/cloth', { message: '' })
    show(<StateButtons kind="pipelines" name="cloth" />)

    await userEvent.click(screen.getByRole('button', { name: 'Remove' }))
    await userEvent.click(screen.getByRole('button', { name: 'Really remove' }))

    await waitFor(() => expect(screen.getByLabelText('address').textContent).toBe('/pipelines'))
  })
})
