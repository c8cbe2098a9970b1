import { Button } from '../parts/button'

/** The one button with which somebody outside says stop, and what holds afterwards; a form, so that it works in whatever the mail's link opens in. */
export function StopMail({ stopKey, address, organisation, isStopped }: { stopKey: string; address: string; organisation: string; isStopped: boolean }) {
  if (isStopped)
    return (
      <p role="status" className="font-serif text-lg leading-relaxed">
        {address} gets no more of these. Should that have been a slip, {organisation} can take it back.
      </p>
    )
  return (
    <form method="post" action={`/api/stop/${encodeURIComponent(stopKey)}`}>
      <p className="mb-4 font-serif text-lg leading-relaxed">
        These mails go to {address} because {organisation} set them up so. Other mail of theirs is not touched.
      </p>
      <Button kind="main" type="submit">
        Send me no more of these
      </Button>
    </form>
  )
}
