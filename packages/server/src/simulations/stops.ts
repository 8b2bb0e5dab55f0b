import type { Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { changeSimulation, isStopped } from '../store/simulations.js';

const LOOK_FOR_STOP_MS = 300;
const nobody = () => undefined;

/** Stopping the turn that runs in a simulation, in whichever process that is: a mark on its row that the runner looks for. */
export class Stops {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #stops = new Map<string, () => void>();

  constructor(db: Db, clock: Clock) {
    this.#db = db;
    this.#clock = clock;
  }

  async stop(id: string): Promise<void> {
    this.#stops.get(id)?.();
    await changeSimulation(this.#db, id, { stop_at: this.#clock.now() });
  }

  /** Tells when the turn of a simulation is to stop: asked for here, or in another process. */
  watch(id: string): { readonly stopped: Promise<void>; readonly end: () => void } {
    let stop: () => void = nobody;
    const stopped = new Promise<void>((resolve) => (stop = resolve));
    this.#stops.set(id, stop);
    const asked = async () => {
      if (await isStopped(this.#db, id)) stop();
    };
    const endLooking = this.#clock.every(LOOK_FOR_STOP_MS, () => void asked().catch(nobody));
    return {
      stopped,
      end: () => {
        endLooking();
        if (this.#stops.get(id) === stop) this.#stops.delete(id);
      },
    };
  }
}
