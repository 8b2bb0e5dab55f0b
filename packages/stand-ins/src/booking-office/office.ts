import { fare, sailingById, sailingsOn, type Port, type Sailing, type Vehicle } from './timetable.js';

export interface Booking {
  readonly reference: string;
  readonly sailing: string;
  readonly name: string;
  readonly vehicle: Vehicle;
  readonly price: number;
  readonly state: 'booked' | 'cancelled';
}

/** How the office misbehaves on purpose. */
export interface Switches {
  /** Wait before every answer, in ms. */
  readonly delay_ms: number;
  readonly fail: 'none' | 'next' | 'always';
  readonly odd: 'none' | 'not-json' | 'wrong-shape' | 'empty';
}

export const CALM: Switches = { delay_ms: 0, fail: 'none', odd: 'none' };

export type Made =
  { readonly ok: true; readonly booking: Booking } | { readonly ok: false; readonly status: number; readonly detail: string };

/** The books of the office, in memory; `save` is called after every change. */
export class Office {
  switches: Switches = CALM;
  readonly #bookings: Map<string, Booking>;
  readonly #byKey = new Map<string, string>();
  readonly #save: (bookings: Booking[]) => void;

  constructor(bookings: readonly Booking[], save: (bookings: Booking[]) => void) {
    this.#bookings = new Map(bookings.map((b) => [b.reference, b]));
    this.#save = save;
  }

  list(): Booking[] {
    return [...this.#bookings.values()];
  }

  find(reference: string): Booking | undefined {
    return this.#bookings.get(reference.toUpperCase().replace(/\s/g, ''));
  }

  /** Sailings with room for a vehicle, each with what is left. */
  sailings(from: Port, to: Port, on: string, vehicle: Vehicle): Sailing[] {
    return sailingsOn(from, to, on)
      .map((s) => this.#left(s, vehicle))
      .filter((s) => s.places > 0 && (vehicle !== 'car' || s.car_spaces > 0));
  }

  #left(sailing: Sailing, vehicle: Vehicle): Sailing {
    const taken = this.list().filter((b) => b.sailing === sailing.id && b.state === 'booked');
    const cars = taken.filter((b) => b.vehicle === 'car').length;
    return {
      ...sailing,
      places: sailing.places - taken.length,
      car_spaces: Math.max(0, sailing.car_spaces - cars),
      price: fare(vehicle),
    };
  }

  sailing(id: string): Sailing | undefined {
    const found = sailingById(id);
    return found && this.#left(found, 'foot');
  }

  /** Books once per idempotency key: the same key again gives the same booking. */
  book(sailingId: string, name: string, vehicle: Vehicle, key: string | undefined): Made {
    const before = key === undefined ? undefined : this.find(this.#byKey.get(key) ?? '');
    if (before) return { ok: true, booking: before };
    const sailing = this.sailing(sailingId);
    if (!sailing) return { ok: false, status: 404, detail: 'there is no such sailing' };
    if (sailing.places === 0 || (vehicle === 'car' && sailing.car_spaces === 0))
      return { ok: false, status: 409, detail: 'the sailing is full' };
    const booking: Booking = {
      reference: this.#newReference(),
      sailing: sailing.id,
      name,
      vehicle,
      price: fare(vehicle),
      state: 'booked',
    };
    if (key !== undefined) this.#byKey.set(key, booking.reference);
    return { ok: true, booking: this.#store(booking) };
  }

  change(reference: string, change: { name?: string; vehicle?: Vehicle; state?: Booking['state'] }): Booking | undefined {
    const present = this.find(reference);
    if (!present) return undefined;
    const vehicle = change.vehicle ?? present.vehicle;
    return this.#store({ ...present, ...change, vehicle, price: fare(vehicle) });
  }

  #store(booking: Booking): Booking {
    this.#bookings.set(booking.reference, booking);
    this.#save(this.list());
    return booking;
  }

  #newReference(): string {
    const n = this.#bookings.size + 1001;
    const letters = 'KPGTWS';
    const prefix = [n, Math.floor(n / 6), Math.floor(n / 36)].map((i) => letters[i % 6]).join('');
    return `${prefix}${n}`;
  }
}
