/** A file that visitors send may have so many bytes. */
export const MOST_FILE_BYTES = 4_000_000;
