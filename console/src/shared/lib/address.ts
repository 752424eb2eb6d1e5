import { createContext, useContext } from 'react'
import { useSearchParams } from 'react-router'

/**
 * What the address holds at this moment. What is drawn may be older: a change that is made quickly after another would
 * be made of what the page showed, and the other be lost. Without a browser's history it is what is drawn.
 */
export const AddressNow = createContext<(() => string) | undefined>(undefined)

type Change = (next: (now: URLSearchParams) => URLSearchParams, options?: { replace?: boolean }) => void

/** What the address says behind its question mark, and how that is changed. */
export function useAddress(): [URLSearchParams, Change] {
  const [search, setSearch] = useSearchParams()
  const now = useContext(AddressNow)
  return [search, (next, options) => setSearch(next(new URLSearchParams(now ? now() : search)), options)]
}
