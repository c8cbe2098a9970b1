import type { Template } from '@/core/workflow/surroundings'

/** Reusable texts that the shipped workflows send. */
export const TEMPLATES: readonly Template[] = [
  {
    name: 'Charter agreed',
    table: 'enquiries',
    subject: 'Your charter {{ enquiry.number }} is agreed',
    body: `<p><img src="cid:crest.png" alt="Ternsay Ferries" width="48"></p>
<p>Dear {{ recipient.name }},</p>
<p>we look forward to taking {{ enquiry.party_size }} of you out on {{ enquiry.date_wanted }}. {{ enquiry.owner.name | default: "Our office" }} is there for whatever you need{% if enquiry.owner.phone %}, on {{ enquiry.owner.phone }}{% endif %}.</p>
<p><a href="{{ why }}">Why you got this</a></p>`,
    format: 'rich',
    priority: 'normal',
  },
  {
    name: 'Acknowledgement',
    table: 'claims',
    subject: 'We have your claim {{ claim.number }}',
    body: `<p>Dear {{ claim.passenger.first_name | default: "passenger" }},</p>
<p>thank you for writing to us. Your claim about <b>{{ claim.kind }}</b> is with {{ claim.owner.name | default: "our claims desk" }} under the number {{ claim.number }}; you will hear from us by {{ claim.due | default: "the end of the month" }}.</p>
<p>Ternsay Ferries</p>`,
    format: 'rich',
    priority: 'normal',
  },
  {
    name: 'Claim handed over',
    table: 'claims',
    subject: '{{ claim.number }} is yours now',
    body: `<p>{{ claim.owner.first_name }},</p>
<p>{{ change.by.name }} handed {{ claim.number }} to you: {{ claim.kind }}, {{ claim.amount }}, due {{ claim.due | default: "on no day yet" }}.</p>
<p><a href="{{ link }}">Open the claim</a></p>`,
    format: 'rich',
    priority: 'normal',
  },
  {
    name: 'Offer made',
    table: 'claims',
    subject: 'Our offer on your claim {{ claim.number }}',
    body: `<p>Dear {{ claim.passenger.first_name | default: "passenger" }},</p>
<p>we offer <b>{{ claim.offer }}</b> on your claim {{ claim.number }}. Reply to this mail to take it.</p>
<p>{{ claim.owner.name | default: "The claims desk" }}, Ternsay Ferries</p>`,
    format: 'rich',
    priority: 'normal',
  },
  {
    name: 'Sailing late',
    table: 'sailings',
    subject: 'The {{ sailing.departs_at | date: "%H:%M" }} {{ sailing.route }} is late',
    body: `<p>Dear passenger,</p>
<p>the {{ sailing.departs_at | date: "%H:%M" }} from {{ sailing.route }} leaves about {{ sailing.minutes_late | default: "some" }} minutes late. Your booking stands as it is.</p>
<p>Ternsay Ferries</p>`,
    format: 'rich',
    priority: 'high',
  },
  {
    name: 'Defect at work',
    table: 'defects',
    subject: '{{ defect.vessel }}: {{ defect.system }}',
    body: `<p>{{ defect.engineer.first_name | default: "Engineers" }},</p>
<p>{{ defect.number }} on {{ defect.vessel }}, {{ defect.severity }}: {{ defect.description | default: "not described" }}</p>
<p>To be mended by {{ defect.fix_by | default: "a day not yet set" }}. <a href="{{ link }}">Open it</a></p>`,
    format: 'rich',
    priority: 'normal',
  },
]
