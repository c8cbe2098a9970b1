import { type FileHandle, open, readFile } from 'node:fs/promises'

/** A short post on a channel. */
export interface Post {
  readonly id: number
  readonly at: string
  readonly channel: string
  readonly body: unknown
}

/** The board that stands in for an organisation's channels; posts are kept as JSON lines. */
export class ChannelBoard {
  private constructor(
    private readonly file: FileHandle,
    private readonly posts: Post[],
  ) {}

  static async open(path: string): Promise<ChannelBoard> {
    const file = await open(path, 'a+')
    const lines = (await readFile(path, 'utf8')).split('\n').filter(Boolean)
    return new ChannelBoard(
      file,
      lines.map((line) => JSON.parse(line) as Post),
    )
  }

  async post(channel: string, body: unknown, at: Date): Promise<Post> {
    const post = { id: this.posts.length + 1, at: at.toISOString(), channel, body }
    this.posts.push(post)
    await this.file.write(`${JSON.stringify(post)}\n`)
    return post
  }

  names(): string[] {
    return [...new Set(this.posts.map((p) => p.channel))].sort()
  }

  list(channel: string): Post[] {
    return this.posts.filter((p) => p.channel === channel)
  }

  close(): Promise<void> {
    return this.file.close()
  }
}
