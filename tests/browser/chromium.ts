import { existsSync } from 'node:fs'

const HEADLESS = '/usr/bin/chromium-headless-shell'

/** Debian's Chromium: the one without a screen where it is installed. */
export const CHROMIUM = existsSync(HEADLESS) ? HEADLESS : '/usr/bin/chromium'
