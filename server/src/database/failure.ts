/** A sentence for people with its remedy, kept when something could not be done. */
export interface Failure {
  code: string;
  message: string;
  remedy: string;
}
