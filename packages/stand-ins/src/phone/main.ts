import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createPhoneApp } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4873' }, number: { type: 'string', default: '' } } });
runProgram('The telephone', createPhoneApp(values.number), Number(values.port));
