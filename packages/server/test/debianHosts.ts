import { type ChildProcess, execFileSync, spawn } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createConnection, createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'

// Mail hosts that were not written here: Postfix takes mail and delivers it, Dovecot shows it. As Debian has them, in a folder and on
// loopback ports of their own. Postfix wants to be started by root.

const programs = ['/usr/sbin/dovecot', '/usr/sbin/postfix']
/** Why these hosts cannot be tried with here; null when they can. */
export const withoutHosts: string | null = !programs.every((path) => existsSync(path))
  ? 'Postfix and Dovecot are not installed (apt-get install dovecot-imapd postfix)'
  : process.getuid?.() !== 0
    ? 'Postfix can be started by root only'
    : null

const freePort = () =>
  new Promise<number>((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => done(port))
    })
  })
/** Waits until something answers at a port. */
async function answers(port: number): Promise<void> {
  for (let i = 0; i < 200; i++) {
    const there = await new Promise<boolean>((done) => {
      const socket = createConnection(port, '127.0.0.1')
      socket.once('data', () => {
        socket.destroy()
        done(true)
      })
      socket.once('error', () => done(false))
    })
    if (there) return
    await sleep(100)
  }
  throw new Error(`nothing answers at port ${port}`)
}

const dovecotConf = (folder: string, port: number) => `
protocols = imap
listen = 127.0.0.1
base_dir = ${folder}/run
log_path = ${folder}/dovecot.log
ssl = no
disable_plaintext_auth = no
auth_mechanisms = plain login
mail_location = maildir:${folder}/mail/%u
first_valid_uid = 1
passdb {
  driver = static
  args = password=practice
}
userdb {
  driver = static
  args = uid=mail gid=mail home=${folder}/mail/%u
}
namespace inbox {
  inbox = yes
  separator = /
  mailbox "Gesendete Objekte" {
    special_use = \\Sent
    auto = subscribe
  }
  mailbox "Entwürfe" {
    special_use = \\Drafts
    auto = subscribe
  }
}
service imap-login {
  inet_listener imap {
    port = ${port}
  }
  inet_listener imaps {
    port = 0
  }
}
service auth {
  unix_listener ${folder}/spool/auth {
    mode = 0666
  }
}
`
const mainCf = (folder: string, mailUid: number, mailGid: number) => `
compatibility_level = 3.6
queue_directory = ${folder}/spool
data_directory = ${folder}/data
command_directory = /usr/sbin
daemon_directory = /usr/lib/postfix/sbin
mail_owner = postfix
setgid_group = postdrop
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
myhostname = host.quay.example
mydestination =
mynetworks =
alias_maps =
virtual_mailbox_domains = quay.example, village.example
virtual_mailbox_base = ${folder}/mail
virtual_mailbox_maps = texthash:${folder}/conf/boxes
virtual_minimum_uid = 1
virtual_uid_maps = static:${mailUid}
virtual_gid_maps = static:${mailGid}
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = auth
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
smtpd_relay_restrictions = permit_sasl_authenticated, reject
smtpd_reject_unlisted_recipient = no
message_size_limit = 3000000
maillog_file = ${folder}/data/maillog
maillog_file_prefixes = ${folder}
default_transport = error:no other hosts are known here
disable_dns_lookups = yes
`
const masterCf = (port: number) => `
127.0.0.1:${port} inet n - n - - smtpd
pickup unix n - n 60 1 pickup
cleanup unix n - n - 0 cleanup
qmgr unix n - n 300 1 qmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
proxymap unix - - n - - proxymap
error unix - - n - - error
retry unix - - n - - error
virtual unix - n n - - virtual
anvil unix - - n - 1 anvil
postlog unix-dgram n - n - 1 postlogd
tlsmgr unix - - n 1000? 1 tlsmgr
`

/** Postfix and Dovecot over the same maildirs. Any user signs in with the password “practice”. */
export class DebianHosts {
  private dovecot: ChildProcess | null = null
  private constructor(
    readonly folder: string,
    readonly smtpPort: number,
    readonly imapPort: number,
  ) {}

  /** @param addresses whose mail is taken; mail to others of the same domains comes back. */
  static async start(addresses: string[]): Promise<DebianHosts> {
    // The hosts are other users: they must be able to read what is theirs, also where Hand Post has run before in this process.
    process.umask(0o022)
    const folder = mkdtempSync(join(tmpdir(), 'hand-post-hosts-'))
    chmodSync(folder, 0o755)
    const hosts = new DebianHosts(folder, await freePort(), await freePort())
    const id = (user: string, what: string) => execFileSync('id', [what, user], { encoding: 'utf8' }).trim()
    for (const name of ['run', 'mail', 'spool', 'spool/pid', 'conf', 'data']) mkdirSync(join(folder, name))
    execFileSync('chown', ['mail:mail', join(folder, 'mail')])
    execFileSync('chown', ['postfix', join(folder, 'data')])
    writeFileSync(join(folder, 'dovecot.conf'), dovecotConf(folder, hosts.imapPort))
    writeFileSync(join(folder, 'conf/main.cf'), mainCf(folder, Number(id('mail', '-u')), Number(id('mail', '-g'))))
    writeFileSync(join(folder, 'conf/master.cf'), masterCf(hosts.smtpPort))
    writeFileSync(join(folder, 'conf/boxes'), addresses.map((address) => `${address} ${address}/\n`).join(''))
    await hosts.startDovecot()
    await hosts.startPostfix()
    return hosts
  }

  async startDovecot(): Promise<void> {
    this.dovecot = spawn('/usr/sbin/dovecot', ['-c', join(this.folder, 'dovecot.conf'), '-F'], { stdio: 'ignore' })
    await answers(this.imapPort)
  }
  async stopDovecot(): Promise<void> {
    const { dovecot } = this
    this.dovecot = null
    if (!dovecot) return
    const ended = new Promise((done) => dovecot.once('exit', done))
    dovecot.kill('SIGTERM')
    await ended
  }
  async startPostfix(): Promise<void> {
    execFileSync('/usr/sbin/postfix', ['-c', join(this.folder, 'conf'), 'start'], { stdio: 'ignore' })
    await answers(this.smtpPort)
  }
  stopPostfix(): void {
    execFileSync('/usr/sbin/postfix', ['-c', join(this.folder, 'conf'), 'stop'], { stdio: 'ignore' })
  }
  /** What Postfix has noted. */
  log(): string {
    return readFileSync(join(this.folder, 'data/maillog'), 'utf8')
  }
  async close(): Promise<void> {
    try {
      this.stopPostfix()
    } catch {}
    await this.stopDovecot()
    rmSync(this.folder, { recursive: true, force: true })
  }
}
