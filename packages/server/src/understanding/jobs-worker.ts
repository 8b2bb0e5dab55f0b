import { parentPort } from 'node:worker_threads';
import { jobs, type Job, type JobSays } from './jobs.js';

/** Does jobs beside the service, so that nobody waits for them. */
parentPort?.on('message', (job: Job) => {
  const say = (message: JobSays): void => parentPort?.postMessage(message);
  try {
    // Each job takes what belongs to its name, which the compiler cannot see.
    const work = jobs[job.name] as (job: Job) => unknown;
    say({ result: work(job) });
  } catch (error) {
    say({ error: String(error) });
  }
});
