import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { missingFromDebian } from './debian'
import { comesUp, freePort } from './ports'

/** Why Postfix and Dovecot cannot be tried here; null where they can. */
export const noPostfix = () => missingFromDebian({ postfix: '/usr/sbin/postfix', 'dovecot-imapd': '/usr/lib/dovecot/imap', openssl: '/usr/bin/openssl' })

/** A certificate of its own making for loopback. */
export function makeCertificate(folder: string): { cert: string; key: string } {
  const [cert, key] = [join(folder, 'cert.pem'), join(folder, 'key.pem')]
  execFileSync('openssl', ['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-subj', '/CN=localhost', '-keyout', key, '-out', cert], { stdio: 'ignore' })
  return { cert, key }
}

/** The domain whose mail Postfix keeps, and one whose mail it hands on and is refused. */
export const HERE = 'office.example'
export const LATER = 'later.example'

/** Who signs in to Postfix, and to the mailbox of bounces. */
export const USER = { user: 'rappel', password: 'right' }

/**
 * Postfix on loopback, which wants STARTTLS and a user, keeps mail to `HERE` in mailboxes (with `+` after a name), hands mail to `LATER` on to `nextHop` and mail to `bounces.example` to
 * `bouncesAt`; Dovecot checks its users and gives the mailboxes by IMAP. Mail that it cannot hand on comes back as its own reports.
 */
export async function startPostfix(ports: { readonly nextHop: number; readonly bouncesAt: number }) {
  const folder = mkdtempSync(join(tmpdir(), 'rappel-postfix-'))
  chmodSync(folder, 0o755)
  const [smtp, imap] = [await freePort(), await freePort()]
  const { cert, key } = makeCertificate(folder)
  const at = (...parts: string[]) => join(folder, ...parts)
  for (const name of ['etc', 'queue', 'data', 'mail', 'dovecot', 'dovecot/run']) mkdirSync(at(name), { recursive: true })
  execFileSync('chown', ['postfix', at('data')])
  execFileSync('chown', ['-R', 'nobody:nogroup', at('mail')])
  const { nextHop, bouncesAt } = ports
  writeFileSync(
    at('dovecot/dovecot.conf'),
    `protocols = imap
listen = 127.0.0.1
base_dir = ${at('dovecot/run')}
state_dir = ${at('dovecot/run')}
log_path = ${at('dovecot/log')}
ssl = no
disable_plaintext_auth = no
mail_location = maildir:${at('mail')}/%d/%n
first_valid_uid = 1
passdb {
  driver = static
  args = password=${USER.password}
}
userdb {
  driver = static
  args = uid=nobody gid=nogroup home=${at('mail')}
}
service imap-login {
  inet_listener imap {
    port = ${imap}
  }
}
service auth {
  unix_listener ${at('queue')}/auth {
    mode = 0666
  }
}
`,
  )
  writeFileSync(
    at('etc/main.cf'),
    `compatibility_level = 3.6
myhostname = mx.${HERE}
mydestination =
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
queue_directory = ${at('queue')}
data_directory = ${at('data')}
maillog_file = ${at('log')}
maillog_file_prefixes = ${folder}
default_database_type = texthash
alias_maps =
local_recipient_maps =
virtual_mailbox_domains = ${HERE}
virtual_mailbox_base = ${at('mail')}
virtual_mailbox_maps = texthash:${at('etc/mailboxes')}
virtual_uid_maps = static:65534
virtual_gid_maps = static:65534
virtual_minimum_uid = 1
recipient_delimiter = +
transport_maps = inline:{ { ${LATER} = smtp:[127.0.0.1]:${nextHop} }, { bounces.example = smtp:[127.0.0.1]:${bouncesAt} } }
smtp_tls_security_level = none
smtputf8_enable = yes
smtpd_tls_cert_file = ${cert}
smtpd_tls_key_file = ${key}
smtpd_tls_security_level = encrypt
smtpd_tls_auth_only = yes
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = auth
smtpd_relay_restrictions = permit_sasl_authenticated, reject
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
mynetworks = 192.0.2.1/32
minimal_backoff_time = 2s
maximal_backoff_time = 2s
queue_run_delay = 2s
`,
  )
  const accounts = ['ines', 'rafi', 'bounces', 'andré'].map((name) => `${name}@${HERE} ${HERE}/${name}/`)
  writeFileSync(at('etc/mailboxes'), `${accounts.join('\n')}\n`)
  writeFileSync(
    at('etc/master.cf'),
    `${[
      `127.0.0.1:${smtp} inet n - n - - smtpd`,
      'pickup unix n - n 60 1 pickup',
      'cleanup unix n - n - 0 cleanup',
      'qmgr unix n - n 300 1 qmgr',
      'tlsmgr unix - - n 1000? 1 tlsmgr',
      'rewrite unix - - n - - trivial-rewrite',
      'bounce unix - - n - 0 bounce',
      'defer unix - - n - 0 bounce',
      'trace unix - - n - 0 bounce',
      'verify unix - - n - 1 verify',
      'flush unix n - n 1000? 0 flush',
      'proxymap unix - - n - - proxymap',
      'smtp unix - - n - - smtp',
      'relay unix - - n - - smtp',
      'error unix - - n - - error',
      'retry unix - - n - - error',
      'discard unix - - n - - discard',
      'virtual unix - n n - - virtual',
      'anvil unix - - n - 1 anvil',
      'scache unix - - n - 1 scache',
      'postlog unix-dgram n - n - 1 postlogd',
    ].join('\n')}\n`,
  )
  const dovecot = spawn('dovecot', ['-F', '-c', at('dovecot/dovecot.conf')], { stdio: 'ignore' })
  await comesUp('Dovecot', () => existsSync(at('queue/auth')))
  const started = spawnSync('postfix', ['-c', at('etc'), 'start'], { encoding: 'utf8' })
  if (started.status !== 0) throw new Error(`Postfix did not start: ${started.stderr}${existsSync(at('log')) ? readFileSync(at('log'), 'utf8') : ''}`)
  /** The sources of what is in somebody's mailbox, new or read. */
  const mailbox = (name: string): string[] =>
    ['new', 'cur'].flatMap((part) => {
      const path = at('mail', HERE, name, part)
      return existsSync(path) ? readdirSync(path).map((file) => readFileSync(join(path, file), 'utf8')) : []
    })
  const stop = async () => {
    spawnSync('postfix', ['-c', at('etc'), 'abort'])
    dovecot.kill('SIGTERM')
    await new Promise((resolve) => dovecot.once('exit', resolve))
    rmSync(folder, { recursive: true, force: true })
  }
  return { smtp, imap, mailbox, stop, log: () => readFileSync(at('log'), 'utf8') }
}
