/** How many cases of a test are tried: all of them with THOROUGH=1, else so many that what is broken outright is found. */
export const some = (all: number, usual: number): number => (process.env.THOROUGH ? all : usual);
