/* Eight bytes as one number. */

#ifndef NACHSICHT_SWAR_H
#define NACHSICHT_SWAR_H

/* The highest bit of each, and eight times the same byte. */
#define HIGH 0x8080808080808080u
#define EVERY(byte) (0x0101010101010101u * (byte))

#endif
