import { many, type Queryable } from '../database'
import { AGAIN, IS_GOT, MAIL } from './counted-mail'

/** How much mail of a workflow somebody got. */
export interface LoadRow {
  readonly address: string
  readonly workflow: string
  /** Its table's plural, as people outside are told apart by. */
  readonly table: string | null
  readonly mails: number
  /** Of them, those about a record that the same address had a mail of its own about within the hour before. */
  readonly again: number
}

/** How much mail every address got of every workflow since a moment, or is going to; what goes in one digest counts once for each of its workflows. */
export const listLoads = (db: Queryable, since: Date): Promise<LoadRow[]> =>
  many<LoadRow>(
    db,
    `select address, workflow, table_label as table, count(distinct mail)::int as mails, (count(*) filter (where again))::int as again from (
       select rappel.folded(r.address) as address, w.name as workflow, d.label as table_label, ${MAIL} as mail,
              ${AGAIN} as again
         from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow left join rappel.table_def d on d.name = m.tbl
        where m.created_at >= $1 and ${IS_GOT}) x
      group by address, workflow, table_label`,
    [since],
  )

/** How much mail every group was named for, of every workflow, since a moment: each mail once, however many are in the group. */
export const listGroupLoads = (db: Queryable, since: Date): Promise<{ group: string; workflow: string; mails: number }[]> =>
  many(
    db,
    `select "group", workflow, count(distinct mail)::int as mails from (
       select v.document #>> (string_to_array(ltrim(r.path, '/'), '/') || array['group']) as "group", w.name as workflow, ${MAIL} as mail
         from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.run x on x.id = m.run
         join rappel.workflow w on w.id = m.workflow join rappel.workflow_version v on v.workflow = x.workflow and v.version = x.version
        where m.created_at >= $1 and ${IS_GOT} and r.path is not null and x.trial is null) y
      where "group" is not null group by 1, 2`,
    [since],
  )
