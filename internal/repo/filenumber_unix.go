//go:build unix

package repo

import (
	"os"
	"syscall"
)

// fileNumber tells files of one name apart that were put in each other's place.
func fileNumber(info os.FileInfo) uint64 {
	if stat, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(stat.Ino)
	}
	return 0
}
