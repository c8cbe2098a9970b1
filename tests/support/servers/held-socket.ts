import { type ChildProcess, spawn } from 'node:child_process'
import { createInterface } from 'node:readline'
import type { Readable } from 'node:stream'
import { must } from '@/core/must'
import { isAlive } from '../alive'

/**
 * Holds a listening socket and starts a program with it for each line it is given, as systemd does (sd_listen_fds(3)): the socket is descriptor 3, LISTEN_FDS and LISTEN_PID say so. In Perl, which
 * every Debian has (perl-base is essential): Node takes connections from whatever it listens on.
 */
const HOLDER = `
use IO::Socket::INET; use POSIX ();
$^F = 1000; $SIG{CHLD} = 'IGNORE'; $| = 1;
my $port = shift @ARGV;
my $socket = IO::Socket::INET->new(LocalAddr => '127.0.0.1', LocalPort => $port, Listen => 511, ReuseAddr => 1) or die $!;
print $port, "\\n";
while (<STDIN>) {
  my $pid = fork;
  if (!$pid) {
    $SIG{CHLD} = 'DEFAULT';
    POSIX::dup2(fileno($socket), 3);
    $ENV{LISTEN_FDS} = 1; $ENV{LISTEN_PID} = $$;
    open STDIN, '<', '/dev/null'; open STDOUT, '>&', \\*STDERR;
    exec @ARGV or POSIX::_exit(1);
  }
  print "$pid\\n";
}`

const linesOf = (stream: Readable | null) => createInterface(must(stream))[Symbol.asyncIterator]()

/** The next line. @throws Error where the holder ended */
async function next(lines: AsyncIterator<string>): Promise<string> {
  const { value, done } = await lines.next()
  if (done) throw new Error('The holder of a socket ended.')
  return value
}

/** A socket that is held, on a port of the loopback, and the programs that listen on it. */
export class HeldSocket {
  private readonly numbers: AsyncIterator<string>
  private readonly said: AsyncIterator<string>

  private constructor(
    private readonly holder: ChildProcess,
    /** What a program says once it listens. */
    private readonly ready: string,
  ) {
    this.numbers = linesOf(holder.stdout)
    this.said = linesOf(holder.stderr)
  }

  /** Holds a port of the loopback for a command that is started as often as asked. @throws Error where there is no Perl, or the port is in use */
  static async hold(port: number, command: readonly string[], ready: string, env: NodeJS.ProcessEnv): Promise<HeldSocket> {
    const held = new HeldSocket(spawn('perl', ['-e', HOLDER, String(port), ...command], { env, stdio: 'pipe' }), ready)
    await held.number()
    return held
  }

  /** Starts the program once more; its number among processes, once it listens. */
  async start(): Promise<number> {
    this.holder.stdin?.write('start\n')
    const pid = await this.number()
    while (!(await next(this.said)).includes(this.ready));
    return pid
  }

  /** Ends a program as systemd does; settles when it is gone. */
  async end(pid: number): Promise<void> {
    process.kill(pid, 'SIGTERM')
    while (isAlive(pid)) await new Promise((resolve) => setTimeout(resolve, 20))
  }

  /** Lets go of the socket. */
  release(): void {
    this.holder.kill('SIGKILL')
  }

  private async number(): Promise<number> {
    return Number(await next(this.numbers))
  }
}
