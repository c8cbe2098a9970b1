import type { Json } from '@/core/json'
import type { Forecast } from '../bulk/forecast'
import type { Written } from '../bulk/write'

/** A forecast as the API tells it: the refused rows by themselves, and how many. */
export type ToldForecast = Json<Omit<Forecast, 'refused' | 'refusals'> & { readonly refused: Forecast['refusals']; readonly refusedCount: number }>

/** What an import came to, as the API tells it. */
export type ToldImport = Json<Omit<Written, 'refused' | 'refusals'> & { readonly refused: Written['refusals']; readonly refusedCount: number; readonly bulk: number }>
