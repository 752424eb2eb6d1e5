// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import FindDialog from './FindDialog'

const onClose = vi.fn()
beforeEach(() => {
  onClose.mockReset()
  // What the browser has and this environment lacks.
  HTMLDialogElement.prototype.showModal ??= function (this: HTMLDialogElement) {
    this.open = true
  }
  new StubService()
    .on('GET /map', [
      { kind: 'feed', name: 'roll-ledger', isThere: true, from: [], steps: [] },
      { kind: 'pipeline', name: 'roll-inspection', isThere: true, from: [], steps: ['tidy', 'graded'] },
      { kind: 'table', name: 'mart.roll_inspection', isThere: true, from: [], steps: [] },
    ])
    .on('POST /query', { columns: [], rows: [['mart.roll_inspection', 'grade']] })
    .install()
})

const address = () => screen.getByLabelText('address').textContent
const box = () => screen.getByRole('combobox')
const options = () => screen.getAllByRole('option').map((o) => o.textContent)

describe('finding a place by its name', () => {
  it('goes to what is chosen by the keys', async () => {
    const user = userEvent.setup()
    show(<FindDialog onClose={onClose} />)

    await user.type(box(), 'roll')
    // Places first, then what is a part of them.
    await waitFor(() =>
      expect(options()).toEqual([
        'pipelineroll-inspection',
        'feedroll-ledger',
        'tablemart.roll_inspection',
        'columngradein mart.roll_inspection',
        'stepgradedin roll-inspection',
        'steptidyin roll-inspection',
      ]),
    )
    expect(box().getAttribute('aria-activedescendant')).toBe('found-0')
    await user.keyboard('{ArrowUp}')
    expect(screen.getAllByRole('option')[5]?.getAttribute('aria-selected')).toBe('true')
    await user.keyboard('{ArrowDown}{ArrowDown}{Enter}')
    expect(onClose).toHaveBeenCalled()
    expect(address()).toBe('/feeds/roll-ledger')
  })

  it('finds steps within their pipeline', async () => {
    const user = userEvent.setup()
    show(<FindDialog onClose={onClose} />)

    await user.type(box(), 'graded')
    await user.click(await screen.findByText('in roll-inspection'))
    expect(address()).toBe('/pipelines/roll-inspection?step=graded')
  })

  it('takes a number for a run', async () => {
    const user = userEvent.setup()
    show(<FindDialog onClose={onClose} />)

    await user.type(box(), '41{Enter}')
    expect(address()).toBe('/runs/41')
  })

  it('says where nothing is called so, and goes nowhere', async () => {
    const user = userEvent.setup()
    show(<FindDialog onClose={onClose} />)

    await user.type(box(), 'selvedge')
    expect(await screen.findByText('Nothing is called so.')).toBeTruthy()
    await user.keyboard('{ArrowDown}{Enter}')
    expect(address()).toBe('/')
    expect(onClose).not.toHaveBeenCalled()
  })
})
