import { pool } from '@/app/_server/environment'
import { shownFigure } from '@/app/_server/figures'
import { route } from '@/app/_server/route'
import { listFigures } from '@/store/figures/definitions'

/** Groups that a figure is listed with. */
const FEW = 12

export const GET = route('GET /api/v1/figures', async () => ({ figures: await Promise.all((await listFigures(pool())).map((row) => shownFigure(row, FEW))) }))
