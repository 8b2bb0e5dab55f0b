import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createMessengerApp } from './app.js';
import { Messenger } from './gull.js';

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4830' },
    token: { type: 'string', default: 'gull-token' },
    seal: { type: 'string', default: 'gull-seal' },
    'busy-every': { type: 'string', default: '11' },
    'twice-every': { type: 'string', default: '5' },
  },
});
const messenger = new Messenger({
  token: values.token,
  seal: values.seal,
  busyEvery: Number(values['busy-every']),
  twiceEvery: Number(values['twice-every']),
});
runProgram('The messenger', createMessengerApp(messenger), Number(values.port));
