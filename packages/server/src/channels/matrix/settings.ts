import { z } from 'zod';

export const matrixSettings = z.strictObject({
  /** The address of the homeserver's client API. */
  address: z
    .url({ protocol: /^https?$/, error: 'an address such as https://matrix.example' })
    .max(500)
    .describe('the homeserver’s address'),
  /** Who the bot is there. */
  user: z
    .string()
    .trim()
    .max(255)
    .regex(/^@[^\s:]+:[^\s]+$/, 'a user such as @desk:matrix.example')
    .describe('the user that the bot is, such as @desk:matrix.example'),
});
export type MatrixSettings = z.infer<typeof matrixSettings>;

export const readMatrix = (settings: string): MatrixSettings => matrixSettings.parse(JSON.parse(settings));
