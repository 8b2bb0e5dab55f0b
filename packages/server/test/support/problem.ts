import { ApiError } from '@primrose/contract';

/** The problem with which a call is refused. */
export async function problemOf(work: Promise<unknown>): Promise<ApiError['details']> {
  try {
    await work;
  } catch (error) {
    if (error instanceof ApiError) return error.details;
    throw error;
  }
  throw new Error('it should have been refused');
}
