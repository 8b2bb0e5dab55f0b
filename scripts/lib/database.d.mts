/** A private MariaDB of a folder. */
export interface PrivateDatabase {
  readonly url: string;
  readonly pid: number;
  readonly port: number;
  readonly stop: () => Promise<void>;
}
export function startDatabase(folder: string, options?: { quiet?: boolean; args?: readonly string[] }): Promise<PrivateDatabase>;
