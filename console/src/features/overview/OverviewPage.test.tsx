// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import { OverviewPage } from './OverviewPage'

let service: StubService

beforeEach(() => {
  service = new StubService()
    .on('GET /pipelines', [])
    .on('GET /feeds', [])
    .on('GET /tables', [])
    .on('GET /runs', [])
    .install()
})

const overview = (more = {}) => ({
  feeds: 0,
  pipelines: 0,
  tables: 0,
  running: 0,
  queued: 0,
  inbox: '/srv/inbox',
  latestRuns: [],
  ...more,
})

describe('the overview', () => {
  it('leads somebody who begins, one step at a time', async () => {
    service.on('GET /overview', overview({ feeds: 1 }))
    show(<OverviewPage />)

    const steps = within(await screen.findByRole('list')).getAllByRole('listitem')
    expect(steps[0]!.textContent).toContain('✓')
    expect(within(steps[1]!).getByRole('link', { name: 'Begin' }).getAttribute('href')).toBe('/pipelines/new')
    expect(screen.getByText('/srv/inbox')).toBeTruthy()
  })

  it('puts first what needs somebody, in words, and leads there', async () => {
    const failed = {
      id: 9,
      pipeline: 'cloth',
      state: 'failed',
      failure: { code: 'feed', message: 'Feed [x] is broken. Fix it' },
    }
    service.on('GET /overview', overview({ feeds: 1, pipelines: 1, tables: 1 })).on('GET /runs', [failed])
    show(<OverviewPage />)

    const trouble = await screen.findByRole('region', { name: 'Needs somebody' })
    expect(trouble.textContent).toContain('One pipeline does not run')
    expect(trouble.textContent).toContain('Feed [x] is broken')
    expect(within(trouble).getByRole('link').getAttribute('href')).toBe('/runs/9')
    expect(screen.queryByText('First steps')).toBeNull()
  })

  it('says so when the service cannot answer', async () => {
    service.on(
      'GET /overview',
      { detail: 'The service cannot reach its database', code: 'database-away' },
      503,
    )
    show(<OverviewPage />)

    expect((await screen.findByRole('alert')).textContent).toContain('The service cannot reach its database')
  })
})
