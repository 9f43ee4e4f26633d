// Package kit holds what all screens share: colours, rows of styled text, actions
// with their keys, the drawn seam, and the messages by which a screen asks the
// frame for something.
package kit
