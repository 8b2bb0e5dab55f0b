import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createModelService } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4820' } } });
runProgram('The model service', createModelService(), Number(values.port));
