// @vitest-environment jsdom
import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { show } from '../testing/service'
import { Find, Listing } from './Listing'
import { foundIn, ordered } from './listed'

type Loom = { code: string; hall?: string; rolls: number }
const LOOMS: Loom[] = [
  { code: 'L-2', hall: 'North', rolls: 9 },
  { code: 'L-10', rolls: 100 },
  { code: 'L-1', hall: 'East', rolls: 20 },
]

const open = (at = '/looms') =>
  show(
    <>
      <Find label="Search looms" placeholder="words" />
      <Listing
        items={LOOMS}
        keyOf={(l) => l.code}
        words={(l) => [l.code, l.hall]}
        columns={[
          { head: 'loom', by: (l) => l.code, cell: (l) => l.code },
          { head: 'hall', by: (l) => l.hall, cell: (l) => l.hall },
          { head: 'rolls', by: (l) => l.rolls, cell: (l) => l.rolls, className: 'num' },
          { head: 'note', cell: () => '' },
        ]}
      />
    </>,
    { path: '/looms', at },
  )
const looms = () =>
  screen
    .getAllByRole('row')
    .slice(1)
    .map((r) => r.firstElementChild?.textContent)
const address = () => screen.getByLabelText('address').textContent

describe('a list', () => {
  it('is sorted up, down, and as it came, which the address says', async () => {
    const user = userEvent.setup()
    open()
    expect(looms()).toEqual(['L-2', 'L-10', 'L-1'])
    await user.click(screen.getByRole('button', { name: 'rolls' }))
    expect(looms()).toEqual(['L-2', 'L-1', 'L-10'])
    expect(screen.getByRole('columnheader', { name: /rolls/ }).getAttribute('aria-sort')).toBe('ascending')
    await user.click(screen.getByRole('button', { name: /rolls/ }))
    expect(looms()).toEqual(['L-10', 'L-1', 'L-2'])
    expect(address()).toBe('/looms?by=rolls&down=1')
    await user.click(screen.getByRole('button', { name: /rolls/ }))
    expect(address()).toBe('/looms')
    expect(screen.queryByRole('button', { name: 'note' })).toBeNull()
  })

  it('is narrowed by words, and begins as its address says', async () => {
    const user = userEvent.setup()
    open('/looms?find=north&by=loom')
    expect(looms()).toEqual(['L-2'])
    expect(screen.getByText('1 of 3')).toBeTruthy()
    await user.clear(screen.getByLabelText('Search looms'))
    expect(looms()).toEqual(['L-1', 'L-10', 'L-2'])
    await user.type(screen.getByLabelText('Search looms'), 'west')
    expect(screen.getByText('Nothing has [west] in it.')).toBeTruthy()
    expect(address()).toBe('/looms?by=loom&find=west')
  })

  it('finds each word anywhere, and puts what has no value last', () => {
    expect(foundIn(' east L-1 ', ['L-1', 'East'])).toBe(true)
    expect(foundIn('east west', ['L-1', 'East'])).toBe(false)
    expect(foundIn('', [undefined])).toBe(true)
    const halls = (down: boolean) => ordered(LOOMS, (l) => l.hall, down).map((l) => l.code)
    expect(halls(false)).toEqual(['L-1', 'L-2', 'L-10'])
    expect(halls(true)).toEqual(['L-2', 'L-1', 'L-10'])
  })
})
