/** Made-up sailings of the four ports: the same day always has the same ones. */

export const PORTS = {
  kelpwick: 'Kelpwick',
  'port-anselm': 'Port Anselm',
  'gannet-quay': 'Gannet Quay',
  'tarn-holm': 'Tarn Holm',
} as const;
export type Port = keyof typeof PORTS;
export const VEHICLES = ['foot', 'bicycle', 'car'] as const;
export type Vehicle = (typeof VEHICLES)[number];

export interface Sailing {
  readonly id: string;
  readonly from: Port;
  readonly to: Port;
  readonly on: string;
  readonly time: string;
  readonly boat: 'Wrackline' | 'Sandpiper';
  readonly places: number;
  readonly car_spaces: number;
  readonly price: number;
}

const WRACKLINE_TIMES = ['07:20', '09:40', '16:20'];
const SANDPIPER_TIMES = ['08:30', '13:15', '18:05'];
const FARES: Readonly<Record<Vehicle, number>> = { foot: 8, bicycle: 10, car: 34 };

export function isPort(text: string): text is Port {
  return Object.hasOwn(PORTS, text);
}

export function isVehicle(text: string): text is Vehicle {
  return (VEHICLES as readonly string[]).includes(text);
}

/** A calendar day that exists, as YYYY-MM-DD. */
export function isDay(text: string): boolean {
  return /^\d{4}-\d{2}-\d{2}$/.test(text) && new Date(`${text}T00:00:00Z`).toISOString().startsWith(text);
}

export function fare(vehicle: Vehicle): number {
  return FARES[vehicle];
}

/** The sailings between two ports on a day, earliest first. None on Sundays to or from Gannet Quay. */
export function sailingsOn(from: Port, to: Port, on: string): Sailing[] {
  const weekday = new Date(`${on}T00:00:00Z`).getUTCDay();
  if (from === to || (weekday === 0 && (from === 'gannet-quay' || to === 'gannet-quay'))) return [];
  const sail = (time: string, boat: Sailing['boat']): Sailing => ({
    id: `${from}_${to}_${on}_${time.replace(':', '')}`,
    from,
    to,
    on,
    time,
    boat,
    places: 40,
    car_spaces: boat === 'Wrackline' ? 6 : 0,
    price: FARES.foot,
  });
  const all = [...WRACKLINE_TIMES.map((t) => sail(t, 'Wrackline')), ...SANDPIPER_TIMES.map((t) => sail(t, 'Sandpiper'))];
  return all.sort((a, b) => a.time.localeCompare(b.time));
}

/** A sailing by its id, or undefined. */
export function sailingById(id: string): Sailing | undefined {
  const [from = '', to = '', on = ''] = id.split('_');
  if (!isPort(from) || !isPort(to) || !isDay(on)) return undefined;
  return sailingsOn(from, to, on).find((s) => s.id === id);
}
