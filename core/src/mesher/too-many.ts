/** More facets were asked for than are made. */
export class TooMany extends Error {}
