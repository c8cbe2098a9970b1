import type { Example } from '@/core/document/document'
import { at } from './people'

/** Kept dry runs of the workflows that the demo ships, by the workflow's name. */
export const EXAMPLES: Readonly<Record<string, Example[]>> = {
  'Offer above 1,000': [
    {
      name: 'A baggage offer goes over 1,000: the claims desk looks',
      change: { kind: 'changed', before: { kind: 'Baggage', amount: 1500, offer: 900, status: 'Offer made' }, after: { offer: 1200 }, by: at('rafi.demir') },
      expect: {
        fires: true,
        to: [at('ines.okafor'), at('rafi.demir'), at('oona.brisk'), at('claims')],
        subject: '(Baggage)',
        bodyHas: ['Before, the offer was'],
      },
    },
    {
      name: 'A delay that nobody owns falls to the claims desk',
      change: { kind: 'changed', before: { kind: 'Delay', amount: 1500, offer: 950, status: 'In review' }, after: { offer: 1050 }, by: at('rafi.demir') },
      expect: { fires: true, to: [at('ines.okafor'), at('rafi.demir'), at('oona.brisk'), at('claims')], subject: '(Delay)' },
    },
    {
      name: 'An offer that was above 1,000 already tells nobody again',
      change: { kind: 'changed', before: { kind: 'Refund', amount: 2000, offer: 1100 }, after: { offer: 1300 }, by: at('rafi.demir') },
      expect: { fires: false },
    },
  ],
  'Defect that stops sailing': [
    {
      name: 'A minor defect waits for the morning',
      change: { kind: 'created', after: { system: 'Safety gear', severity: 'Minor', description: 'A vest has lost its whistle.' }, by: at('idris.penhale') },
      expect: { fires: false },
    },
    {
      name: 'A dead engine reaches the duty engineers at once',
      change: { kind: 'created', after: { system: 'Engine', severity: 'Stops sailing', description: 'It does not turn over.' }, by: at('idris.penhale') },
      expect: {
        fires: true,
        to: [at('greta.halloran'), at('idris.penhale'), at('yusuf.tarrant')],
        subject: 'Engine stops sailing',
        bodyHas: ['It does not turn over.'],
      },
    },
  ],
}
