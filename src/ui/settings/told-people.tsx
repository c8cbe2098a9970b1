import { WHAT_IS_WRONG } from '../account/what-is-wrong'
import Link from '../parts/link'
import { Section } from './section'
import { ToldChannel } from './told-channel'

const listed = (names: readonly string[]) => new Intl.ListFormat('en-GB').format(names)

/** Who is told by mail when something is wrong; each asks for it on their own account. And the channel that is told. */
export function ToldPeople({ names, channel, channels }: { names: readonly string[]; channel: string | null; channels: readonly string[] }) {
  return (
    <Section title="When something is wrong" id="told" note={`${WHAT_IS_WRONG}: editors and administrators who ask for it are told by mail, once an hour at most.`}>
      <p className="flex items-baseline gap-4">
        <span>{names.length === 0 ? 'Nobody is told; it stands on Today.' : `${listed(names)} ${names.length === 1 ? 'is' : 'are'} told.`}</span>
        <Link href="/account">{names.length === 0 ? 'Ask for it on your account' : 'Your account'}</Link>
      </p>
      <ToldChannel channel={channel} channels={channels} />
    </Section>
  )
}
