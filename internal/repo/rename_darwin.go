package repo

import "golang.org/x/sys/unix"

// swap puts two files in each other's place in one step.
func swap(fromDir int, from string, toDir int, to string) error {
	return unix.RenameatxNp(fromDir, from, toDir, to, unix.RENAME_SWAP)
}

// moveOnto moves a file to where nothing lies.
func moveOnto(fromDir int, from string, toDir int, to string) error {
	return unix.RenameatxNp(fromDir, from, toDir, to, unix.RENAME_EXCL)
}
