import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createHostSite } from './app.js';

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4840' },
    service: { type: 'string', default: 'http://127.0.0.1:4800' },
    chat: { type: 'string', default: '' },
    'key-id': { type: 'string', default: 'ferry-site' },
    'key-secret': { type: 'string', default: 'ferry-site-and-harbour-desk-agree-on-this' },
  },
});
const key = { id: values['key-id'], secret: values['key-secret'] };
runProgram('The ferry site', createHostSite({ service: values.service, chat: values.chat, key }), Number(values.port));
