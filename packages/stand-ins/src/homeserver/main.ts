import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createHomeserverApp, Homeserver } from './app.js';

const { values } = parseArgs({ options: { port: { type: 'string', default: '4871' } } });
runProgram('The homeserver', createHomeserverApp(new Homeserver()), Number(values.port));
