import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { render } from '@testing-library/react'
import type { ReactNode } from 'react'
import { MemoryRouter, Route, Routes, useLocation } from 'react-router'
import { answering } from './answering'

/** A call as the console made it. */
export type Call = { method: string; path: string; body: unknown }

type Answer = { status?: number; body: unknown }

/** Answers in the place of the service, by method and path; what nobody answers is a 404. */
export class StubService {
  readonly calls: Call[] = []
  private readonly answers = new Map<string, Answer>()

  on(call: string, body: unknown, status = 200): this {
    this.answers.set(call, { status, body })
    return this
  }

  /** The calls of a method, as `PATH BODY`. */
  made(method: string): string[] {
    return this.calls.filter((c) => c.method === method).map((c) => `${c.path} ${JSON.stringify(c.body)}`)
  }

  install(): this {
    answering.now = async (request) => {
      const url = new URL(request.url)
      const text = await request.text()
      const plain = url.pathname.replace('/api/v1', '')
      const path = plain + url.search
      this.calls.push({ method: request.method, path, body: text ? JSON.parse(text) : undefined })
      const answer = this.answers.get(`${request.method} ${path}`) ??
        this.answers.get(`${request.method} ${plain}`) ?? {
          status: 404,
          body: { detail: `Nothing answers ${request.method} ${path}`, code: 'not-found' },
        }
      return new Response(answer.status === 204 ? null : JSON.stringify(answer.body), {
        status: answer.status,
        headers: { 'Content-Type': 'application/json' },
      })
    }
    return this
  }
}

function Where() {
  const at = useLocation()
  return <output aria-label="address">{at.pathname + at.search}</output>
}

/** Shows a page at an address, with what pages need around them. */
export function show(page: ReactNode, { path = '/', at = path }: { path?: string; at?: string } = {}) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  return render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[at]}>
        <Routes>
          <Route path={path} element={page} />
          <Route path="*" element={<p>another page</p>} />
        </Routes>
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  )
}
