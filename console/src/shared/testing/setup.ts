import { afterEach } from 'vitest'
import { answering } from './answering'

// The typed client takes these when it is made, before any test: they lead to what a test has put in their place.
globalThis.fetch = (input, init) => answering.now(new Request(input, init))

if (typeof window !== 'undefined') {
  const Plain = globalThis.Request
  globalThis.Request = class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === 'string' ? new URL(input, 'http://console.test').href : input, init)
    }
  }
  // What the browser has and this environment lacks; nothing here is measured.
  globalThis.ResizeObserver ??= class {
    observe() {}
    unobserve() {}
    disconnect() {}
  }
  Element.prototype.scrollIntoView ??= () => {}
  const { cleanup, configure } = await import('@testing-library/react')
  // Waits end as soon as what they wait for is there: only a fault, or a very slow machine, comes this far.
  configure({ asyncUtilTimeout: 30_000 })
  afterEach(() => {
    cleanup()
    localStorage.clear()
  })
}
