// Package kit holds what all screens share: colours, rows of styled text, actions
// with their keys, the drawn seam, and the messages by which a screen asks the
// frame for something.
//
// Its tests promise: rows are exactly as wide as they shall be, and the seam ties what it shall.
package kit
