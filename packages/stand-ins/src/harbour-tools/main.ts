import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createHarbourTools } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4840' } } });
runProgram('Harbour tools', createHarbourTools(), Number(values.port));
