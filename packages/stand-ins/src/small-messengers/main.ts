import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createSmallMessengersApp } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4870' } } });
runProgram('The small messengers', createSmallMessengersApp(), Number(values.port));
