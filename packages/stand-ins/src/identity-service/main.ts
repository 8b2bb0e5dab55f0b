import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createIdentityService } from './app.js';

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4860' },
    client: { type: 'string', default: 'harbour-desk' },
    secret: { type: 'string', default: 'sound-account-secret' },
  },
});
runProgram(
  'The identity service',
  await createIdentityService({ client: values.client, secret: values.secret }),
  Number(values.port),
);
