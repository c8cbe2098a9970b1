import { many, type Queryable } from '../database'
import { AGAIN, IS_GOT, MAIL } from './counted-mail'

/** What an address got of a workflow, day by day. */
export interface PersonMail {
  readonly workflow: string
  readonly mails: number
  /** Of them, those about a record that the same address had a mail of its own about within the hour before. */
  readonly again: number
  readonly days: readonly { readonly day: string; readonly mails: number }[]
}

/** What an address got of each workflow since a moment, or is going to, by days of a zone; those with most mail first. What goes in one digest counts once for each of its workflows. */
export const listPersonMail = (db: Queryable, address: string, since: Date, zone: string): Promise<PersonMail[]> =>
  many<PersonMail>(
    db,
    `with got as (
       select w.name as workflow, ${MAIL} as mail,
              to_char(coalesce((select g.created_at from rappel.message g where g.id = r.digest), m.created_at) at time zone $3, 'YYYY-MM-DD') as day,
              ${AGAIN} as again
         from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow
        where rappel.folded(r.address) = rappel.folded($1) and m.created_at >= $2 and ${IS_GOT}),
     daily as (select workflow, day, count(distinct mail)::int as mails from got group by workflow, day)
     select workflow, count(distinct mail)::int as mails, (count(*) filter (where again))::int as again,
            (select jsonb_agg(jsonb_build_object('day', d.day, 'mails', d.mails) order by d.day) from daily d where d.workflow = got.workflow) as days
       from got group by workflow order by 2 desc, 1 limit 200`,
    [address, since, zone],
  )
