import { z } from 'zod';

const server = z.strictObject({
  host: z.string().trim().min(1).max(253).describe('the server'),
  port: z.number().int().min(1).max(65_535).describe('its port'),
  /** Encrypted from the first byte; else it becomes so where the server offers it. */
  tls: z.boolean().describe('encrypted from the first byte'),
});

export const mailSettings = z.strictObject({
  /** The address that letters are written to and answered from. */
  address: z.email('an address such as desk@mail.example').max(254).describe('the address that letters are written to'),
  /** As it stands before the address of a letter. */
  name: z.string().trim().min(1).max(80).optional().describe('the name that stands before it'),
  /** The account, where it is called otherwise than the address. */
  account: z.string().trim().min(1).max(254).optional().describe('the account, where it is called otherwise than the address'),
  imap: server.describe('where letters are read (IMAP), mostly port 993 encrypted'),
  smtp: server.describe('where they are sent (SMTP), mostly port 465 encrypted or 587'),
  folder: z.string().trim().min(1).max(200).optional().describe('the folder; INBOX where it is left out'),
  /** Closes every letter. */
  signature: z.string().max(500).optional().describe('what closes every letter'),
});
export type MailSettings = z.infer<typeof mailSettings>;

export const readMail = (settings: string): MailSettings => mailSettings.parse(JSON.parse(settings));

/** What is kept of the letter that is answered, for the headers of the answer (RFC 5322, 3.6.4). */
const thread = z.object({ subject: z.string(), id: z.string(), references: z.array(z.string()) });
export type Thread = z.infer<typeof thread>;
export const readThread = (kept: string): Thread => thread.parse(JSON.parse(kept));
