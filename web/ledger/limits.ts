/** Largest file taken, bytes; the reader's own limit, said before an upload starts. */
export const mostUploadBytes = 512 * 1024 * 1024;
