//go:build !linux && !darwin

package repo

import "golang.org/x/sys/unix"

// swap would put two files in each other's place in one step, which this system cannot.
func swap(int, string, int, string) error { return unix.ENOSYS }

// moveOnto would move a file to where nothing lies, in one step.
func moveOnto(int, string, int, string) error { return unix.ENOSYS }
