import { JsonLines } from './json-lines'

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
    private readonly lines: JsonLines<Post>,
    private readonly posts: Post[],
  ) {}

  static async open(path: string): Promise<ChannelBoard> {
    const { lines, documents } = await JsonLines.open<Post>(path)
    return new ChannelBoard(lines, documents)
  }

  async post(channel: string, body: unknown, at: Date): Promise<Post> {
    const post = { id: (this.posts[this.posts.length - 1]?.id ?? 0) + 1, at: at.toISOString(), channel, body }
    this.posts.push(post)
    await this.lines.add(post)
    return post
  }

  names(): string[] {
    return [...new Set(this.posts.map((p) => p.channel))].sort()
  }

  list(channel: string): Post[] {
    return this.posts.filter((p) => p.channel === channel)
  }

  close(): Promise<void> {
    return this.lines.close()
  }
}
