import { stopTheService } from './service.js';

export const mochaHooks = { afterAll: stopTheService };
