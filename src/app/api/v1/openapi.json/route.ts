import { baseUrl } from '@/app/_server/environment'
import { openApi } from '@/app/_server/openapi'
import { route } from '@/app/_server/route'

/** The description of the API (OpenAPI 3.1). */
export const GET = route('GET /api/v1/openapi.json', async () => openApi(baseUrl()))
