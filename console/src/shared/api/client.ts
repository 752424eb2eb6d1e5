import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

/** The one door to the service. */
export const api = createClient<paths>({ baseUrl: '/' })

export type Schemas = components['schemas']

/** A refusal of the service: what, why and how to mend it. */
export class ServiceError extends Error {
  readonly status: number
  readonly code: string
  readonly fix: string
  readonly problems: Schemas['Problem'][]

  constructor(status: number, body: unknown) {
    const problem = (typeof body === 'object' && body !== null ? body : {}) as Record<string, unknown>
    super(typeof problem.detail === 'string' ? problem.detail : `The service answered ${status}`)
    this.status = status
    this.code = typeof problem.code === 'string' ? problem.code : 'unknown'
    this.fix = typeof problem.fix === 'string' ? problem.fix : ''
    this.problems = Array.isArray(problem.problems) ? (problem.problems as Schemas['Problem'][]) : []
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer; throws {@link ServiceError} for a refusal. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer
  if (!response.ok) {
    throw new ServiceError(response.status, error)
  }
  return data as T
}
