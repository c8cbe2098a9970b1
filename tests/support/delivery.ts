import type { ClaimedMessage } from '@/store/mail/claim'

/** A message as whoever delivers has claimed it, to one address unless said otherwise. */
export function claimedMessage(parts: Partial<ClaimedMessage> = {}): ClaimedMessage {
  return {
    id: 1,
    attempt: 1,
    tbl: 'claims',
    rec: 7,
    message_id: '<1@office.example>',
    sender: { address: 'alerts@office.example', name: 'Office' },
    reply_to: null,
    subject: 'S',
    html: '<p>B</p>',
    body: 'B',
    priority: 'normal',
    attachments: null,
    created_at: new Date('2026-03-03T07:40:00Z'),
    recipients: [{ position: 1, part: 'to', address: 'a@x.example', name: null, state: 'open' }],
    ...parts,
  } as ClaimedMessage
}
