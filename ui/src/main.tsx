import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { Frame } from './frame'
import './index.css'

const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 2_000, retry: 1 } } })
const root = document.getElementById('root')
if (root === null) throw new Error('index.html has no element #root')
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Frame />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
