import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { postRoom } from '@/app/_server/post-room'
import { readSettings } from '@/store/settings'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { Time } from '@/ui/parts/time'

type Params = { params: Promise<{ name: string }> }

export async function generateMetadata({ params }: Params): Promise<Metadata> {
  return { title: (await params).name }
}

/** The channel board's page of one channel: its notices, the newest first. */
export default async function ChannelPage({ params }: Params) {
  await visitor('PAGE /post-room/channels/[name]')
  const name = await nameOf(params)
  const [posts, settings] = await Promise.all([postRoom.posts(name).catch(() => []), readSettings(pool())])
  return (
    <Page>
      <p className="text-sm">
        <Link href="/post-room">Post room</Link>
      </p>
      <Title>{name}</Title>
      {posts.length === 0 && <Empty>No notice has come to this channel yet.</Empty>}
      <ol className="mt-4 max-w-[820px] border-rule border-b">
        {posts.reverse().map((post) => (
          <li key={post.id} className="border-rule border-t py-3">
            <p className="flex justify-between gap-4 text-muted text-sm">
              {post.body?.data?.workflow ?? 'somebody else'}
              <Time at={post.at} locale={settings.locale} zone={settings.zone} />
            </p>
            <h2 className="font-serif text-lg leading-snug">{post.body?.data?.title ?? 'Untitled'}</h2>
            <p className="max-w-[70ch] whitespace-pre-wrap">{post.body?.data?.text}</p>
            {post.body?.data?.link && (
              <a href={post.body.data.link} className="text-sm">
                Open the record
              </a>
            )}
          </li>
        ))}
      </ol>
    </Page>
  )
}
