import { CASE_STATES } from './cases.js';
import { PORTS, VEHICLES } from './timetable.js';

const port = { type: 'string', enum: Object.keys(PORTS) };
const vehicle = { type: 'string', enum: [...VEHICLES] };
const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` });
const json = (schema: object) => ({ 'application/json': { schema } });
const answer = (description: string, schema: object) => ({ description, content: json(schema) });
const query = (name: string, schema: object, required = true) => ({ name, in: 'query', required, schema });
const inPath = (name: string) => ({ name, in: 'path', required: true, schema: { type: 'string' } });
const missing = { '404': answer('There is no such thing', ref('Error')) };

/** The office's API as an OpenAPI 3.1 document. */
export function officeOpenApi(): object {
  return {
    openapi: '3.1.0',
    info: {
      title: 'Booking office of Marrow Sound Ferries',
      version: '1.0.0',
      description: 'A made-up ferry office for demo and tests.',
    },
    paths: {
      '/sailings': {
        get: {
          operationId: 'listSailings',
          summary: 'Sailings between two ports on a day, with what is left',
          parameters: [
            query('from', port),
            query('to', port),
            query('on', { type: 'string', format: 'date' }),
            query('vehicle', vehicle, false),
          ],
          responses: {
            '200': answer('Sailings, earliest first', {
              type: 'object',
              properties: { sailings: { type: 'array', items: ref('Sailing') } },
            }),
            '400': answer('A parameter is wrong', ref('Error')),
          },
        },
      },
      '/sailings/{id}': {
        get: {
          operationId: 'getSailing',
          summary: 'One sailing',
          parameters: [inPath('id')],
          responses: { '200': answer('The sailing', ref('Sailing')), ...missing },
        },
      },
      '/bookings': {
        post: {
          operationId: 'makeBooking',
          summary: 'Book a place; the same idempotency key books once',
          parameters: [{ name: 'idempotency-key', in: 'header', required: false, schema: { type: 'string' } }],
          requestBody: {
            required: true,
            content: json({
              type: 'object',
              required: ['sailing', 'name'],
              properties: { sailing: { type: 'string' }, name: { type: 'string' }, vehicle },
            }),
          },
          responses: {
            '201': answer('The booking', ref('Booking')),
            '409': answer('The sailing is full', ref('Error')),
            ...missing,
          },
        },
      },
      '/bookings/{reference}': {
        get: {
          operationId: 'getBooking',
          summary: 'One booking',
          parameters: [inPath('reference')],
          responses: { '200': answer('The booking', ref('Booking')), ...missing },
        },
        patch: {
          operationId: 'changeBooking',
          summary: 'Change name or vehicle',
          parameters: [inPath('reference')],
          requestBody: { required: true, content: json({ type: 'object', properties: { name: { type: 'string' }, vehicle } }) },
          responses: { '200': answer('The booking as it is now', ref('Booking')), ...missing },
        },
        delete: {
          operationId: 'cancelBooking',
          summary: 'Cancel a booking',
          parameters: [inPath('reference')],
          responses: { '200': answer('The cancelled booking', ref('Booking')), ...missing },
        },
      },
      '/cases': {
        post: {
          operationId: 'openCase',
          summary: 'Open a case with the staff, for what nobody could answer; the same idempotency key opens it once',
          parameters: [{ name: 'idempotency-key', in: 'header', required: false, schema: { type: 'string' } }],
          requestBody: {
            required: true,
            content: json({
              type: 'object',
              required: ['question'],
              properties: {
                question: { type: 'string' },
                name: { type: 'string' },
                reach: { type: 'string', description: 'where whoever asked is told' },
                assigned: { type: 'string', format: 'email', description: 'the member of staff who sees to it' },
              },
            }),
          },
          responses: { '201': answer('The case', ref('Case')), '422': answer('Nobody has this address', ref('Error')) },
        },
      },
      '/cases/{number}': {
        get: {
          operationId: 'getCase',
          summary: 'One case: how far it is, and the answer once there is one',
          parameters: [inPath('number')],
          responses: { '200': answer('The case', ref('Case')), ...missing },
        },
      },
    },
    components: {
      schemas: {
        Sailing: {
          type: 'object',
          required: ['id', 'from', 'to', 'on', 'time', 'boat', 'places', 'car_spaces', 'price'],
          properties: {
            id: { type: 'string' },
            from: port,
            to: port,
            on: { type: 'string', format: 'date' },
            time: { type: 'string' },
            boat: { type: 'string' },
            places: { type: 'integer' },
            car_spaces: { type: 'integer' },
            price: { type: 'number' },
          },
        },
        Booking: {
          type: 'object',
          required: ['reference', 'sailing', 'name', 'vehicle', 'price', 'state'],
          properties: {
            reference: { type: 'string' },
            sailing: { type: 'string' },
            name: { type: 'string' },
            vehicle,
            price: { type: 'number' },
            state: { type: 'string', enum: ['booked', 'cancelled'] },
          },
        },
        Case: {
          type: 'object',
          required: ['number', 'question', 'state', 'assigned_to', 'answer'],
          properties: {
            number: { type: 'string' },
            question: { type: 'string' },
            state: { type: 'string', enum: [...CASE_STATES] },
            assigned_to: { type: 'string', description: 'a name; empty where nobody sees to it yet' },
            answer: { type: 'string', description: 'empty until it is resolved' },
          },
        },
        Error: { type: 'object', properties: { error: { type: 'string' } } },
      },
    },
  };
}
