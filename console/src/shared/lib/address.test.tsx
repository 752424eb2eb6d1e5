// @vitest-environment jsdom
import { act, render, screen } from '@testing-library/react'
import { BrowserRouter } from 'react-router'
import { describe, expect, it } from 'vitest'
import { AddressNow, useAddress } from './address'

let put: (name: string, value: string) => void

function Shown() {
  const [search, change] = useAddress()
  put = (name, value) =>
    change((now) => {
      now.set(name, value)
      return now
    })
  return <p>{search.toString()}</p>
}

describe('the address', () => {
  it('keeps a change that the page does not show yet', async () => {
    render(
      <BrowserRouter>
        <AddressNow.Provider value={() => window.location.search}>
          <Shown />
        </AddressNow.Provider>
      </BrowserRouter>,
    )
    act(() => {
      put('hall', 'East')
      // Of what the page shows, nothing is chosen yet.
      put('grade', 'A')
    })
    expect(await screen.findByText('hall=East&grade=A')).toBeTruthy()
  })
})
