import { createTransport } from 'nodemailer';
import { answerSubject, shownOn, type Ability, type Message } from '@primrose/core';
import { hashSecret } from '../../base/clock.js';
import type { AllowedAddresses } from '../../outside/agent.js';
import { NO_PARTS, NoLine, type Parts, type Sendable, type Sender, type Sent } from '../channel.js';
import { outsideHost } from '../outside-host.js';
import { readThread, type MailSettings } from './settings.js';

const CONNECT_MS = 8000;
const SEND_MS = 20_000;
/** A letter names so many of those before it. */
const MOST_REFERENCES = 20;

/** The id of a letter of ours: the same for the same line, so that a mailbox that gets it twice shows it once. */
export function letterId(key: string, address: string): string {
  return `<${hashSecret(key).slice(0, 40)}@${address.split('@')[1] ?? 'localhost'}>`;
}

/** Sends letters: each answers the one before in its thread, and says that no machine is to answer it (RFC 3834, 3.1.7). */
export function mailSender(
  settings: MailSettings,
  secrets: Readonly<Record<string, string>>,
  allowed: AllowedAddresses,
  ability: Ability,
): Sender {
  return {
    message: (message: Message, to: Sendable): Parts => {
      const parts = shownOn(ability, message, to.language);
      return {
        ok: true,
        parts: parts.map(
          ({ text }) =>
            (key) =>
              sendLetter(settings, secrets, allowed, { to, text, key }),
        ),
      };
    },
    typing: () => NO_PARTS,
  };
}

async function sendLetter(
  settings: MailSettings,
  secrets: Readonly<Record<string, string>>,
  allowed: AllowedAddresses,
  { to, text, key }: { readonly to: Sendable; readonly text: string; readonly key: string },
): Promise<Sent> {
  const { smtp, address, name, account, signature } = settings;
  const thread = to.thread === undefined ? undefined : readThread(to.thread);
  const id = letterId(key, address);
  let host: string;
  try {
    host = await outsideHost(smtp.host, allowed);
  } catch (error) {
    return { as: error instanceof NoLine ? 'again' : 'failed', reason: error instanceof Error ? error.message : String(error) };
  }
  const pass = secrets['password'];
  const transport = createTransport({
    ...{ host, port: smtp.port, secure: smtp.tls, tls: { servername: smtp.host } },
    ...{ connectionTimeout: CONNECT_MS, greetingTimeout: CONNECT_MS, socketTimeout: SEND_MS },
    ...(pass === undefined ? {} : { auth: { user: account ?? address, pass } }),
  });
  try {
    await transport.sendMail({
      from: { name: name ?? '', address },
      to: { name: '', address: to.to },
      subject: thread ? answerSubject(thread.subject) : (name ?? address),
      text: signature === undefined ? text : `${text}\n\n-- \n${signature}`,
      messageId: id,
      ...(thread ? { inReplyTo: thread.id, references: [...thread.references.slice(-MOST_REFERENCES), thread.id] } : {}),
      headers: { 'auto-submitted': 'auto-replied' },
    });
    return { as: 'sent', id };
  } catch (error) {
    return refusal(error);
  } finally {
    transport.close();
  }
}

/** What a refusal comes to: 4xx passes by itself, 5xx does not (RFC 5321, 4.2.1); a server that is away is tried again. */
function refusal(error: unknown): Sent {
  const { responseCode, code = '', response = '' } = error as { responseCode?: number; code?: string; response?: string };
  if (code === 'EAUTH') return { as: 'again', reason: 'the mail server does not accept the account’s password' };
  if (responseCode === undefined)
    return { as: 'again', reason: `the mail server cannot be reached (${code || 'no connection'})` };
  const reason = `the mail server did not take the letter: ${response.slice(0, 200) || responseCode}`;
  return { as: responseCode >= 500 ? 'failed' : 'again', reason };
}
