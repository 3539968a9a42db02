import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { Problem } from './api/client'
import { Frame } from './frame'
import { Broken } from './parts/Broken'
import { Gate } from './rooms/people/Gate'
import './index.css'

/**
 * What passes by itself (the server or its store is not up) is tried again until it does; what was
 * refused is not.
 */
const again = (count: number, error: unknown) =>
  error instanceof Problem && error.passes ? count < 40 : false
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2_000,
      retry: again,
      retryDelay: (count) => Math.min(5_000, 400 * 2 ** count),
    },
  },
})
const root = document.getElementById('root')
if (root === null) throw new Error('index.html has no element #root')
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Broken>
          <Gate>
            <Frame />
          </Gate>
        </Broken>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
