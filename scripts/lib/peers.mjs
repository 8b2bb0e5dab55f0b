// Servers that people really run, as Debian has them: prosody (XMPP), ngircd (IRC) and dovecot (IMAP). Each in a folder of its own, on
// loopback, with made-up accounts, and ended with whoever started it.
import { fork } from 'node:child_process';
import { chmodSync, chownSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ensureProgram, freePort, Halt, onPath } from './machine.mjs';

const KEEPER = fileURLToPath(new URL('peer-keeper.mjs', import.meta.url));
const READY_MS = 30_000;
const AGAIN_MS = 100;
const DOMAIN = 'marrow-sound.example';
export const XMPP_DOMAIN = `chat.${DOMAIN}`;
export const XMPP_ROOMS = `rooms.chat.${DOMAIN}`;
export const MAIL_DOMAIN = DOMAIN;
/** The one password of all accounts; made up, and only good for these. */
export const PEER_PASSWORD = 'calm-crossing';

/** Which server speaks which protocol, and the package that has it. */
export const PEERS = {
  xmpp: { program: 'prosody', debian: 'prosody' },
  irc: { program: 'ngircd', debian: 'ngircd' },
  mail: { program: 'dovecot', debian: 'dovecot-imapd' },
};

/** What holds documents against a schema. */
const CHECKER = { program: 'xmllint', debian: 'libxml2-utils' };

/** True where the server of a protocol is on this machine. */
export const hasPeer = (name) => onPath(PEERS[name].program) !== undefined;

/** Installs what is missing, where that can be done here; throws a Halt that says how where it cannot. */
export function ensurePeers() {
  for (const { program, debian } of [...Object.values(PEERS), CHECKER]) ensureProgram(program, debian);
}

/** Resolves once something greets or at least listens on a port of loopback. */
async function untilListens(port, failed) {
  const until = Date.now() + READY_MS;
  for (;;) {
    const open = await new Promise((resolve) => {
      const socket = connect(port, '127.0.0.1');
      const end = (answer) => (socket.destroy(), resolve(answer));
      socket.setTimeout(1000, () => end(false));
      socket.once('error', () => end(false));
      socket.once('connect', () => end(true));
    });
    if (open) return;
    if (failed() !== undefined || Date.now() > until)
      throw new Halt(`A server is not ready on port ${port}: ${failed() ?? 'it took too long'}.`);
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
  }
}

/** Keeps a server: starts it, and stops, kills and starts it again on the same port with what it has kept. */
async function keep({ program, args, port, folder, temporary }) {
  let keeper;
  let gone = Promise.resolve();
  const start = async () => {
    let failed;
    keeper = fork(KEEPER, [JSON.stringify({ program, args, ...(temporary ? { folder } : {}) })], {
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      execArgv: [],
      detached: true,
    });
    keeper.on('message', (message) => (failed = message.failed));
    gone = new Promise((resolve) => keeper.once('exit', resolve));
    await untilListens(port, () => failed);
  };
  await start();
  return {
    port,
    folder,
    start,
    /** As an operator stops it. */
    stop: async () => {
      if (keeper.connected) keeper.disconnect();
      await gone;
    },
    /** Stops it for good, with all that it has kept. */
    end: async () => {
      if (keeper.connected) keeper.disconnect();
      await gone;
      if (temporary) rmSync(folder, { recursive: true, force: true });
    },
    /** As when its machine loses power. */
    kill: async () => {
      if (keeper.connected) keeper.send('kill');
      await gone;
    },
  };
}

/** A folder that goes with the server, unless it is one that somebody else has made. */
function folderFor(name, given) {
  const folder = given ?? mkdtempSync(join(tmpdir(), `primrose-peer-${name}-`));
  mkdirSync(folder, { recursive: true });
  return folder;
}

/** How prosody writes a name as that of a file. */
const asFile = (name) => name.replace(/[^A-Za-z0-9]/g, (c) => `%${c.charCodeAt(0).toString(16).padStart(2, '0')}`);

/** An XMPP server with some accounts, and a service of rooms. */
export async function startXmpp({ accounts, folder: given, port: wanted = 0 }) {
  const folder = folderFor('xmpp', given);
  const port = await freePort(wanted);
  const data = join(folder, 'data');
  const people = join(data, asFile(XMPP_DOMAIN), 'accounts');
  mkdirSync(people, { recursive: true });
  for (const account of accounts)
    writeFileSync(join(people, `${asFile(account)}.dat`), `return { ["password"] = "${PEER_PASSWORD}"; };\n`);
  const config = join(folder, 'prosody.cfg.lua');
  writeFileSync(
    config,
    `daemonize = false
run_as_root = true
pidfile = "${join(folder, 'pid')}"
data_path = "${data}"
log = { warn = "${join(folder, 'log')}" }
interfaces = { "127.0.0.1" }
c2s_ports = { ${port} }
c2s_direct_tls_ports = {}
s2s_ports = {}
http_ports = {}
https_ports = {}
modules_enabled = { "roster", "saslauth", "disco", "smacks", "offline", "ping", "presence", "message", "iq", "c2s" }
modules_disabled = { "s2s" }
authentication = "internal_plain"
c2s_require_encryption = false
allow_unencrypted_plain_auth = true
smacks_hibernation_time = 3
VirtualHost "${XMPP_DOMAIN}"
Component "${XMPP_ROOMS}" "muc"
  restrict_room_creation = false
  muc_room_default_public = true
  muc_room_locking = false
`,
  );
  return keep({
    program: ensureProgram('prosody', 'prosody'),
    args: ['--config', config, '-F'],
    port,
    folder,
    temporary: given === undefined,
  });
}

/** An IRC server. */
export async function startIrc({ folder: given, port: wanted = 0 } = {}) {
  const folder = folderFor('irc', given);
  const port = await freePort(wanted);
  const config = join(folder, 'ngircd.conf');
  const user = process.getuid?.() === 0 ? 'ServerUID = nobody\n  ServerGID = nogroup\n' : '';
  writeFileSync(
    config,
    `[Global]
  Name = irc.${DOMAIN}
  Info = Marrow Sound
  AdminInfo1 = made up
  Listen = 127.0.0.1
  Ports = ${port}
  MotdPhrase = Calm crossing
  ${user}[Limits]
  MaxConnectionsIP = 0
  MaxJoins = 0
  MaxNickLength = 30
  PingTimeout = 60
[Options]
  DNS = no
  Ident = no
  PAM = no
  SyslogFacility = local1
[Channel]
  Name = #harbour
  Topic = Boats between the islands
`,
  );
  chmodSync(folder, 0o755);
  return keep({
    program: ensureProgram('ngircd', 'ngircd'),
    args: ['-n', '-f', config],
    port,
    folder,
    temporary: given === undefined,
  });
}

const NOBODY = 65534;

/** An IMAP server with some accounts, each with an empty mailbox. Mail is put there by APPEND. */
export async function startImap({ accounts, folder: given, port: wanted = 0 }) {
  const folder = folderFor('mail', given);
  const port = await freePort(wanted);
  const root = process.getuid?.() === 0;
  const { uid, gid, username } = root ? { uid: NOBODY, gid: NOBODY, username: 'nobody' } : userInfo();
  const mail = join(folder, 'mail');
  for (const sub of [mail, join(folder, 'run')]) mkdirSync(sub, { recursive: true });
  chmodSync(folder, 0o755);
  if (root) chownSync(mail, uid, gid);
  writeFileSync(join(folder, 'users'), accounts.map((a) => `${a}@${MAIL_DOMAIN}:{PLAIN}${PEER_PASSWORD}\n`).join(''), {
    mode: 0o644,
  });
  const config = join(folder, 'dovecot.conf');
  const own = root
    ? ''
    : `default_internal_user = ${username}\ndefault_internal_group = ${gid}\ndefault_login_user = ${username}\n`;
  const plain = ['anvil', 'stats', 'imap-login'].map((s) => (root ? '' : `service ${s} {\n  chroot =\n}\n`)).join('');
  writeFileSync(
    config,
    `base_dir = ${join(folder, 'run')}
state_dir = ${join(folder, 'run')}
log_path = ${join(folder, 'log')}
protocols = imap
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
mail_location = maildir:${mail}/%u
mail_uid = ${uid}
mail_gid = ${gid}
first_valid_uid = 1
mail_max_userip_connections = 50
${own}${plain}passdb {
  driver = passwd-file
  args = ${join(folder, 'users')}
}
userdb {
  driver = static
  args = uid=${uid} gid=${gid} home=${mail}/%u
}
service imap-login {
  inet_listener imap {
    port = ${port}
  }
  inet_listener imaps {
    port = 0
  }
}
`,
  );
  return keep({
    program: ensureProgram('dovecot', 'dovecot-imapd'),
    args: ['-F', '-c', config],
    port,
    folder,
    temporary: given === undefined,
  });
}
