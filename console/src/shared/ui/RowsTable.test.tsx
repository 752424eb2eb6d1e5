// @vitest-environment jsdom
import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, it } from 'vitest'
import type { Schemas } from '../api/client'
import { RowsTable } from './RowsTable'

const RESULT = {
  columns: [
    { name: 'hall', type: 'varchar' },
    { name: 'metres', type: 'decimal(9, 2)' },
  ],
  rows: [
    ['South', '9.50'],
    [null, '100.00'],
    ['East', null],
  ],
} as unknown as Schemas['ResultRows']

it('rows are sorted by a column as what it holds, nulls last, and go back to how they came', async () => {
  const user = userEvent.setup()
  render(<RowsTable result={RESULT} />)
  const halls = () =>
    screen
      .getAllByRole('row')
      .slice(1)
      .map((r) => r.firstElementChild?.textContent)
  const metres = screen.getByRole('columnheader', { name: /^metres/ })

  await user.click(screen.getByRole('button', { name: /^metres/ }))
  expect(halls()).toEqual(['South', 'null', 'East'])
  expect(metres.getAttribute('aria-sort')).toBe('ascending')
  await user.click(screen.getByRole('button', { name: /^metres/ }))
  expect(halls()).toEqual(['East', 'null', 'South'])
  await user.click(screen.getByRole('button', { name: /^hall/ }))
  expect(halls()).toEqual(['East', 'South', 'null'])
  await user.click(screen.getByRole('button', { name: /^hall/ }))
  await user.click(screen.getByRole('button', { name: /^hall/ }))
  expect(halls()).toEqual(['South', 'null', 'East'])
})
