import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createTideBotApp } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4872' } } });
runProgram('The tide bot', createTideBotApp(), Number(values.port));
