import type { ReactNode } from 'react'
import { useMay } from './me'

/** What is shown to those alone who may make a call. */
export function Only({ may, children }: { may: string; children: ReactNode }) {
  return useMay(may) ? children : null
}
