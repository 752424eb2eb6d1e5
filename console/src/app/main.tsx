import '@fontsource-variable/jetbrains-mono'
import '@fontsource-variable/source-sans-3'
import '@fontsource-variable/source-serif-4'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { ServiceError } from '../shared/api/client'
import { AddressNow } from '../shared/lib/address'
import { keepScrollersReachable } from '../shared/lib/scrolling'
import { App } from './App'
import './theme.css'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (failures, error) => !(error instanceof ServiceError && error.status < 500) && failures < 3,
      refetchOnWindowFocus: true,
      staleTime: 2000,
    },
  },
})

const wanted = localStorage.getItem('yardage-theme')
document.documentElement.dataset.theme =
  wanted ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'linen')

keepScrollersReachable(document.body)

const addressNow = () => window.location.search

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <AddressNow.Provider value={addressNow}>
          <App />
        </AddressNow.Provider>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
