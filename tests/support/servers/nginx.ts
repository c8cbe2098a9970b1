import { spawn, spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { unpackFromDebian } from './debian'
import { freePort, listens } from './ports'

/** Debian's own nginx where it is installed, else its package taken apart, so that no service of it is started. */
const FOLDER = join(tmpdir(), 'rappel-nginx')
const INSTALLED = '/usr/sbin/nginx'
const program = () => (existsSync(INSTALLED) ? INSTALLED : join(FOLDER, 'usr/sbin/nginx'))

/** Why nginx cannot be tried here; null where it can. */
export function noNginx(): string | null {
  if (existsSync(INSTALLED)) return null
  const lacking = unpackFromDebian(FOLDER, ['nginx'], ['libpcre2-8-0', 'libssl3', 'zlib1g'])
  if (lacking) return lacking
  return spawnSync(program(), ['-v']).status === 0 ? null : "needs Debian's nginx, which does not run here"
}

/** Nginx before web processes, as `deploy/nginx.conf.example` says, on the port or ports given. */
export async function startNginx(ports: readonly number[]): Promise<{ url: string; stop: () => Promise<void> }> {
  const folder = mkdtempSync(join(tmpdir(), 'rappel-nginx-'))
  chmodSync(folder, 0o755)
  mkdirSync(join(folder, 'logs'))
  const port = await freePort()
  const server = 'server 127.0.0.1:4170 max_fails=0;'
  const example = readFileSync('deploy/nginx.conf.example', 'utf8').replace(server, ports.map((p) => server.replace('4170', String(p))).join('\n'))
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map((kind) => `${kind}_temp_path ${join(folder, kind)};`).join('\n')
  const config = join(folder, 'nginx.conf')
  writeFileSync(
    config,
    `daemon off;\npid ${join(folder, 'pid')};\nerror_log ${join(folder, 'logs/error.log')};\nevents {}\nhttp {\naccess_log off;\n${temporary}\n${example.replace('127.0.0.1:80;', `127.0.0.1:${port};`)}\n}\n`,
  )
  const child = spawn(program(), ['-p', folder, '-c', config], { stdio: 'ignore' })
  await listens('nginx', port)
  return {
    url: `http://127.0.0.1:${port}`,
    stop: async () => {
      const ended = new Promise((resolve) => child.once('exit', resolve))
      child.kill('SIGTERM')
      await Promise.race([ended, new Promise((resolve) => setTimeout(resolve, 3_000))])
      child.kill('SIGKILL')
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
