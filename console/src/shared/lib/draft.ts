import { useState } from 'react'

export type Kept = { text: string; version: number }

/**
 * A text that somebody writes from a kept one. It stays based on the version that it began from: what somebody else keeps
 * meanwhile must not become that unseen, or saving would overwrite it.
 */
export function useDraft(kept: Kept) {
  const [basis, setBasis] = useState(kept)
  const [text, setText] = useState(kept.text)
  // A draft that says nothing new goes along with what is kept.
  const isChanged = text !== basis.text
  if (!isChanged && kept.version !== basis.version) {
    setBasis(kept)
    setText(kept.text)
  }
  return {
    text,
    setText,
    basis,
    isChanged,
    /** Goes on from what was saved. */
    saved: (next: Kept) => {
      setBasis(next)
      setText(next.text)
    },
  }
}
