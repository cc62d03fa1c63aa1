// What the server checks, for the fuzz run.
import { readyReceivers } from '../core/dist/receivers/ready.js';
import { checkWish } from '../server/dist/releases/releases.js';

export const checkRelease = (wish) => checkWish(wish, readyReceivers);
