import { spawn, spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { unpackFromDebian } from './debian'
import { freePort, listens } from './ports'
import { HERE, makeCertificate, USER } from './postfix'

const UNPACKED = join(process.cwd(), '.test-home/exim')
const EXIM = join(UNPACKED, 'usr/sbin/exim4')

/** Why Exim cannot be tried here; null where it can: taken apart beside Postfix, which Debian lets no other mail server be installed with. */
export function noExim(): string | null {
  const lacking = existsSync(EXIM) ? null : unpackFromDebian(UNPACKED, ['exim4-daemon-light', 'exim4-base'], ['libidn12'])
  if (lacking) return lacking
  spawnSync('useradd', ['--system', '--no-create-home', 'Debian-exim']) // whom the program runs as; it may be there
  const { status, stderr } = spawnSync(EXIM, ['-C', '/dev/null', '-bV'], { encoding: 'utf8' })
  return status === 0 ? null : `needs Debian's Exim, which does not start here: ${stderr.trim()}`
}

/** Exim on loopback, which offers STARTTLS, wants a user (LOGIN or PLAIN), takes messages of so many bytes, and keeps mail in mailboxes. */
export async function startExim({ mostBytes = 50_000 } = {}) {
  const folder = mkdtempSync(join(tmpdir(), 'rappel-exim-'))
  chmodSync(folder, 0o777)
  const at = (...parts: string[]) => join(folder, ...parts)
  for (const name of ['spool', 'mail', 'log']) mkdirSync(at(name), { mode: 0o777 })
  const { cert, key } = makeCertificate(folder)
  chmodSync(key, 0o644)
  spawnSync('chown', ['-R', 'Debian-exim', at('spool'), at('mail'), at('log')])
  const port = await freePort()
  writeFileSync(
    at('exim.conf'),
    `exim_path = ${EXIM}
deliver_drop_privilege = true
primary_hostname = exim.${HERE}
spool_directory = ${at('spool')}
log_file_path = ${at('log')}/%slog
local_interfaces = 127.0.0.1
daemon_smtp_ports = ${port}
tls_certificate = ${cert}
tls_privatekey = ${key}
tls_advertise_hosts = *
smtputf8_advertise_hosts = *
message_size_limit = ${mostBytes}
auth_advertise_hosts = \${if eq{$tls_in_cipher}{}{}{*}}
acl_smtp_rcpt = check
recipients_max = 3
recipients_max_reject = false
begin acl
check:
  deny message = no such mailbox
       domains = ${HERE}
       local_parts = nobody
  accept authenticated = *
  deny message = sign in first
begin routers
here:
  driver = accept
  transport = maildir
begin transports
maildir:
  driver = appendfile
  directory = ${at('mail')}/all
  envelope_to_add
  create_directory
  maildir_format
  user = Debian-exim
begin authenticators
plain:
  driver = plaintext
  public_name = PLAIN
  server_condition = \${if and{{eq{$auth2}{${USER.user}}}{eq{$auth3}{${USER.password}}}}}
  server_set_id = $auth2
`,
  )
  const exim = spawn(EXIM, ['-C', at('exim.conf'), '-bdf', '-q1m'], { stdio: 'ignore' })
  await listens('Exim', port)
  /** The sources of what was delivered to somebody. */
  const mailbox = (name: string): string[] => {
    const path = at('mail', 'all', 'new')
    const all = existsSync(path) ? readdirSync(path).map((file) => readFileSync(join(path, file), 'utf8')) : []
    return all.filter((source) => /^Envelope-to:(.*(\n[ \t].*)*)/m.exec(source)?.[1]?.includes(`${name}@`))
  }
  const log = () =>
    readdirSync(at('log'))
      .map((f) => readFileSync(at('log', f), 'utf8'))
      .join('\n')
  const stop = async () => {
    exim.kill('SIGTERM')
    await new Promise((resolve) => exim.once('exit', resolve))
    rmSync(folder, { recursive: true, force: true })
  }
  return { port, mailbox, log, stop }
}
