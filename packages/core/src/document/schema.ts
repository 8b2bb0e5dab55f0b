import { z } from 'zod';
import { duration, id, name, template, typeDeclaration, value, type FlowNode } from './shapes.js';

const flowNode = z.looseObject({ kind: z.string() }) as unknown as z.ZodType<FlowNode>;

/** One node graph of a bot. */
export const flow = z.strictObject({
  title: z.string().max(120).optional(),
  about: z.string().optional(),
  takes: z.record(name, typeDeclaration).optional(),
  gives: z.record(name, typeDeclaration).optional(),
  begin: id.optional(),
  nodes: z.record(id, flowNode),
});
export type Flow = z.infer<typeof flow>;

/** A kind of value in what visitors say: each value's id with the words for it, per language or for all. */
export const entity = z.strictObject({
  about: z.string().optional(),
  values: z.record(id, z.union([z.array(z.string()), z.record(z.string(), z.array(z.string()))])),
});
export type Entity = z.infer<typeof entity>;

/** One typed operation of a connection. Exactly one of the method fields holds its path. */
export const action = z.strictObject({
  about: z.string().optional(),
  get: template.optional(),
  post: template.optional(),
  put: template.optional(),
  patch: template.optional(),
  delete: template.optional(),
  takes: z.record(name, typeDeclaration).optional(),
  sends: z
    .strictObject({
      query: z.record(z.string(), value).optional(),
      headers: z.record(z.string().regex(/^[A-Za-z0-9-]+$/), template).optional(),
      body: value.optional(),
    })
    .optional(),
  gives: z.record(name, value).optional(),
  /** The service takes the idempotency key: doing it twice is the same as doing it once. */
  repeatable: z.boolean().optional(),
});
export type Action = z.infer<typeof action>;

/** An outside service: its usual address and what can be asked of it. */
export const connection = z.strictObject({
  about: z.string().optional(),
  address: z.string().optional(),
  actions: z.record(id, action),
});
export type Connection = z.infer<typeof connection>;

const declarations = z.record(name, typeDeclaration).optional();

/** The whole bot, in one JSON value. Nodes are checked further by `readDocument`, kind by kind. */
export const botDocument = z.strictObject({
  primrose: z.literal(1),
  bot: id,
  name: z.string().min(1).max(120),
  about: z.string().optional(),
  languages: z.array(z.string().regex(/^[a-z]{2,3}(-[A-Za-z0-9]+)*$/)).min(1),
  zone: z.string(),
  begins: id,
  unmatched: id.optional(),
  /** How long nothing may be said before the next message begins a new conversation; a day when it is left out. */
  idle: duration.optional(),
  variables: z.strictObject({ session: declarations, visitor: declarations, settings: declarations }).optional(),
  entities: z.record(name, entity).optional(),
  connections: z.record(id, connection).optional(),
  flows: z.record(id, flow),
});
export type BotDocument = z.infer<typeof botDocument>;
