import { lazy, Suspense, type ComponentType } from 'react'
import { Route, Routes, useLocation } from 'react-router'
import { SignInPage } from '../features/access/SignInPage'
import { useSession } from '../features/access/queries'
import RunsPage from '../features/runs/RunsPage'
import { OverviewPage } from '../features/overview/OverviewPage'
import { Empty, Loading, Page } from '../shared/ui/parts'
import { Shell } from './Shell'

const PipelinesPage = lazy(() => import('../features/pipelines/PipelinesPage'))
const BeginPage = lazy(() => import('../features/begin/BeginPage'))
const PipelinePage = lazy(() => import('../features/pipelines/PipelinePage'))
const RunPage = lazy(() => import('../features/runs/RunPage'))
const TablesPage = lazy(() => import('../features/tables/TablesPage'))
const TablePage = lazy(() => import('../features/tables/TablePage'))
const StarsPage = lazy(() => import('../features/stars/StarsPage'))
const StarPage = lazy(() => import('../features/stars/StarPage'))
const FeedsPage = lazy(() => import('../features/feeds/FeedsPage'))
const FeedPage = lazy(() => import('../features/feeds/FeedPage'))
const NewFeedPage = lazy(() => import('../features/feeds/NewFeedPage'))
const SamplersPage = lazy(() => import('../features/samplers/SamplersPage'))
const SamplerPage = lazy(() => import('../features/samplers/SamplerPage'))
const MapPage = lazy(() => import('../features/map/MapPage'))
const QueryPage = lazy(() => import('../features/query/QueryPage'))
const AccountPage = lazy(() => import('../features/access/AccountPage'))

/** A page of one thing begins anew for another one: nothing that was written or asked there goes along. */
function Each({ of: One }: { of: ComponentType }) {
  return <One key={useLocation().pathname} />
}

export function App() {
  const session = useSession()
  if (session.isPending) {
    return null
  }
  if (!session.data || session.data.mustChangePassword) {
    return <SignInPage mustChange={session.data?.mustChangePassword ?? false} />
  }
  return (
    <Shell name={session.data.name}>
      <Suspense
        fallback={
          <main className="flex-1 p-6">
            <Loading what="the page" />
          </main>
        }
      >
        <Routes>
          <Route path="/" element={<OverviewPage />} />
          <Route path="/feeds" element={<FeedsPage />} />
          <Route path="/feeds/new" element={<NewFeedPage />} />
          <Route path="/feeds/:name" element={<Each of={FeedPage} />} />
          <Route path="/pipelines" element={<PipelinesPage />} />
          <Route path="/pipelines/begin" element={<BeginPage />} />
          <Route path="/pipelines/:name" element={<Each of={PipelinePage} />} />
          <Route path="/runs" element={<RunsPage />} />
          <Route path="/runs/:id" element={<Each of={RunPage} />} />
          <Route path="/tables" element={<TablesPage />} />
          <Route path="/tables/:name" element={<Each of={TablePage} />} />
          <Route path="/stars" element={<StarsPage />} />
          <Route path="/stars/:name" element={<Each of={StarPage} />} />
          <Route path="/samplers" element={<SamplersPage />} />
          <Route path="/samplers/:name" element={<Each of={SamplerPage} />} />
          <Route path="/map" element={<MapPage />} />
          <Route path="/query" element={<QueryPage />} />
          <Route path="/account" element={<AccountPage />} />
          <Route
            path="*"
            element={
              <Page title="No such page">
                <Empty>There is nothing at this address. Choose a page on the left.</Empty>
              </Page>
            }
          />
        </Routes>
      </Suspense>
    </Shell>
  )
}
