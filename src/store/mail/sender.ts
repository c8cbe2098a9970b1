import { type Queryable, touch } from '../database'

/** Whom mail is from. */
interface From {
  readonly name: string
  readonly address: string
}

/** Has mail that waits be from a sender as it is now: one that is called otherwise or has another address, which the old one might not be accepted from any more. With `anyName`, also mail that bears somebody else’s name. */
export async function changeSender(db: Queryable, was: From, is: From, { anyName = false } = {}): Promise<number> {
  if (was.name === is.name && was.address === is.address) return 0
  return touch(
    db,
    `update rappel.message m
        set sender = m.sender || jsonb_build_object('address', $4::text, 'name', case when m.sender ->> 'name' = $1 then $3 else m.sender ->> 'name' end)
      where m.state in ('queued', 'held') and m.sender ->> 'address' = $2
        and (m.sender ->> 'name' = $1 or $5 and not exists (select from rappel.sender s where s.address = $2 and s.display = m.sender ->> 'name'))`,
    [was.name, was.address, is.name, is.address, anyName],
  )
}
