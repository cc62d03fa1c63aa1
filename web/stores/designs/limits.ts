/** So many designs are on a page, as the server gives them (`server/src/stores/designs.ts`). */
export const pageOfDesigns = 60;
