/** Which or how many cases of a test are tried: all of them with THOROUGH=1, else so many that what is broken outright is found. */
export const some = <T>(all: T, usual: T): T => (process.env.THOROUGH ? all : usual);
