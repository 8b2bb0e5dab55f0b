/** A made-up customer of the ferry line. */
export interface Customer {
  readonly id: string;
  readonly name: string;
  readonly email: string;
  /** References of what they have booked. */
  readonly bookings: readonly string[];
}

export const CUSTOMERS: readonly Customer[] = [
  { id: 'c-1041', name: 'Ines Marlow', email: 'ines.marlow@marrow-sound.example', bookings: ['KEL 4821', 'TAR 1130'] },
  { id: 'c-1042', name: 'Tobias Fenn', email: 'tobias.fenn@marrow-sound.example', bookings: ['GAN 2207'] },
];

export interface HostSite {
  /** Where the chat's script comes from, and the address of the chat. */
  readonly service: string;
  readonly chat: string;
  /** The key with which tokens are signed. */
  readonly key: { readonly id: string; readonly secret: string };
}
