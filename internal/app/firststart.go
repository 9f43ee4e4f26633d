package app

import (
	"os"
	"path/filepath"
)

// FirstStart says whether the user has never opened the application before, and notes that they have: by a file in the folder for
// state of the XDG base directory specification. Where none can be kept it says no, rather than each time yes.
func FirstStart() bool {
	dir := os.Getenv("XDG_STATE_HOME")
	if !filepath.IsAbs(dir) {
		home, err := os.UserHomeDir()
		if err != nil {
			return false
		}
		dir = filepath.Join(home, ".local", "state")
	}
	dir = filepath.Join(dir, "bastel")
	if os.MkdirAll(dir, 0o777) != nil {
		return false
	}
	file, err := os.OpenFile(filepath.Join(dir, "started"), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o666)
	return err == nil && file.Close() == nil
}
