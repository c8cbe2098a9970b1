'use client'

import { useMemo } from 'react'
import type { Sent } from './sent'

/** What was sent, as it was. */
export const useSent = <T>(sent: Sent<T>): T => useMemo(() => JSON.parse(sent.json), [sent])
