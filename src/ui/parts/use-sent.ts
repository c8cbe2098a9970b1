'use client'

import { useMemo } from 'react'
import type { Sent } from './sent'

/** What was sent, as it was. */
export const useSent = <T>({ json }: Sent<T>): T => useMemo(() => JSON.parse(json), [json])
