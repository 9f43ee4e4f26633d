package repo

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/sys/unix"
)

// StoodInError names a folder that would have to go, and in which the user stands.
type StoodInError struct{ Folder string }

func (e *StoodInError) Error() string {
	return fmt.Sprintf("you stand in the folder %q, which would have to go; leave it first", e.Folder)
}

// Unwrap makes it one of what is in the way.
func (e *StoodInError) Unwrap() error { return ErrInTheWay }

// CarryOut carries the steps out, those first by which something goes, so that a folder may take a file's place. Each file is
// exchanged with the new one in one step where the system can do that, then compared with what was seen, and put back if it
// differs; so nothing that somebody saves is ever written over. Errors: *FileMovedError. What was carried out before stays until
// TakeBack.
func (l *Layout) CarryOut() error {
	f, err := l.repo.openFolders()
	if err != nil {
		return err
	}
	defer f.close()
	l.order()
	for i, s := range l.Steps {
		l.begun = i + 1
		if err := l.carry(f, i, s); err != nil {
			return fmt.Errorf("write %q: %w", s.To.Path, err)
		}
	}
	l.submodules(f)
	return nil
}

// order has those steps come first by which something goes.
func (l *Layout) order() {
	slices.SortStableFunc(l.Steps, func(a, b FileStep) int {
		return boolInt(a.To.Mode != ModeNone) - boolInt(b.To.Mode != ModeNone)
	})
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// carry carries one step out, or leaves the file as it was.
func (l *Layout) carry(f *folders, n int, s FileStep) error {
	fd, name, err := f.parentOf(s.To.Path, s.To.Mode != ModeNone)
	if err != nil {
		if isAbsent(err) {
			err = errors.Join(&FileMovedError{s.To.Path}, err)
		}
		return err
	}
	if s.Seen.Mode == ModeNone {
		return l.bringNew(f, fd, name, s)
	}
	if is, err := l.stillIs(s.Seen, fd, name, true); err != nil || !is {
		return errors.Join(err, &FileMovedError{s.To.Path})
	}
	if s.To.Mode == ModeNone {
		if err := l.putAside(fd, name, n, s); err != nil {
			return err
		}
		l.removeFolders(f, s.To.Path)
		return nil
	}
	err = l.exchange(fd, name, s)
	if unsupported(err) {
		if err = l.putAside(fd, name, n, s); err == nil {
			if err = l.move(l.fd, s.from, fd, name); err != nil {
				err = errors.Join(err, l.moveBack(fd, name, n)) // unless something new lies there
			}
		}
	}
	return err
}

// unsupported says that a file system, or the system, cannot do something in one step.
func unsupported(err error) bool {
	return errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP)
}

// exchange puts the new file and the one that lies there in each other's place, and both back if that is not what was seen.
func (l *Layout) exchange(fd int, name string, s FileStep) error {
	if err := l.swap(s.from, fd, name); err != nil {
		return err
	}
	if is, err := l.stillIs(s.Seen, l.fd, s.from, false); err == nil && is {
		return nil
	}
	for range readings { // who saves just now is put back too: the last one wins
		if err := l.swap(s.from, fd, name); err != nil {
			return err
		}
		if is, err := l.stillIs(s.To, l.fd, s.from, false); err != nil || is {
			break
		}
	}
	return &FileMovedError{s.To.Path}
}

// putAside moves what lies at a place to the layout, and back if it is not what was seen.
func (l *Layout) putAside(fd int, name string, n int, s FileStep) error {
	aside := asideName(n)
	if err := l.move(fd, name, l.fd, aside); err != nil {
		return err
	}
	is, err := l.stillIs(s.Seen, l.fd, aside, false)
	if err == nil && is {
		return nil
	}
	return errors.Join(err, &FileMovedError{s.To.Path}, l.moveBack(fd, name, n))
}

// moveBack moves what was put aside to its place, unless somebody saved there meanwhile: that is newer.
func (l *Layout) moveBack(fd int, name string, n int) error {
	if err := l.move(l.fd, asideName(n), fd, name); err != nil && !errors.Is(err, fs.ErrExist) && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

func asideName(n int) string { return fmt.Sprintf("%s/%d", asidePart, n) }

// bringNew moves the new file to where nothing was seen.
func (l *Layout) bringNew(f *folders, fd int, name string, s FileStep) error {
	if s.To.Mode == ModeNone {
		return nil
	}
	err := l.move(l.fd, s.from, fd, name)
	if !errors.Is(err, fs.ErrExist) {
		return err
	}
	lies, lookErr := lookAt(fd, name)
	if lookErr == nil && lies.folder {
		if l.repo.standsIn(s.To.Path) {
			return &StoodInError{s.To.Path}
		}
		if removeEmpty(fd, name) == nil { // folders without a file are nobody's work
			return l.move(l.fd, s.from, fd, name)
		}
	}
	return &FileMovedError{s.To.Path}
}

// moveNew moves a file to where nothing lies. Errors: fs.ErrExist.
func moveNew(fromDir int, from string, toDir int, to string) error {
	err := moveOnto(fromDir, from, toDir, to)
	if !unsupported(err) {
		return err
	}
	if err = unix.Linkat(fromDir, from, toDir, to, 0); err == nil {
		return unix.Unlinkat(fromDir, from, 0)
	}
	if errors.Is(err, fs.ErrExist) || errors.Is(err, unix.EXDEV) || errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if _, err := lookAt(toDir, to); !errors.Is(err, fs.ErrNotExist) { // no second names there: the last look is as near as it gets
		return errors.Join(fs.ErrExist, err)
	}
	return unix.Renameat(fromDir, from, toDir, to)
}

// stillIs says whether what lies at a name is what was seen. Moving a file changes the time of its change, which counts only in place.
func (l *Layout) stillIs(seen RawFile, fd int, name string, inPlace bool) (bool, error) {
	lies, err := lookAt(fd, name)
	if err != nil {
		if isAbsent(err) {
			err = nil
		}
		return seen.Mode == ModeNone && err == nil, err
	}
	now := lies.stat
	if now.mode == ModeNone || (now.mode == ModeSymlink) != (seen.Mode == ModeSymlink) {
		return false, nil
	}
	if seen.stat != (fileStat{}) && (seen.at.IsZero() || seen.stat.settled(seen.at)) {
		same := now
		if !inPlace {
			same.changed = seen.stat.changed
		}
		if l.crossed {
			same.number = seen.stat.number
		}
		if same == seen.stat {
			return true, nil
		}
	}
	if seen.ID.IsZero() {
		return false, nil
	}
	from := folders{top: fd, last: -1}
	found, err := readIn(fd, name, LargeFile)
	if err != nil {
		if isAbsent(err) || errors.Is(err, errReadAgain) {
			return false, nil
		}
		return false, err
	}
	if !found.whole {
		found.ID, _, _, err = l.repo.streamed(&from, name, func(file *os.File, size int64) (ID, error) { return l.repo.hashFile(file, size) })
		return found.ID == seen.ID, err
	}
	return l.repo.raw(found).ID == seen.ID, nil
}

// removeFolders removes the folders above a path that are empty without it. One that the user stands in stays.
func (l *Layout) removeFolders(f *folders, path string) {
	for at := strings.LastIndexByte(path, '/'); at > 0; at = strings.LastIndexByte(path, '/') {
		path = path[:at]
		f.forget()
		fd, name, err := f.parentOf(path, false)
		if err != nil {
			return
		}
		if l.repo.standsIn(path) {
			l.stood = path
			return
		}
		if unix.Unlinkat(fd, name, unix.AT_REMOVEDIR) != nil {
			return // not empty: it stays
		}
	}
}

// StoodIn is the folder that would have gone and stays, empty, since the user stands in it; empty: there is none.
func (l *Layout) StoodIn() string { return l.stood }

// standsIn says whether the folder that the program was started in is a folder of the working tree, or lies below it.
func (r *Repo) standsIn(path string) bool {
	here, err := os.Getwd()
	if err != nil {
		return false
	}
	below, err := filepath.Rel(r.WorkPath(path), here)
	return err == nil && below != ".." && !strings.HasPrefix(below, "../")
}

// removeEmpty removes a folder that has only folders in it.
func removeEmpty(fd int, name string) error {
	folder, err := unix.Openat(fd, name, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0)
	if err != nil {
		return err
	}
	opened := os.NewFile(uintptr(folder), name)
	defer opened.Close()
	entries, err := opened.ReadDir(-1)
	if err != nil {
		return err
	}
	for _, entry := range entries {
		if !entry.IsDir() {
			return unix.ENOTEMPTY
		}
	}
	for _, entry := range entries {
		if err := removeEmpty(folder, entry.Name()); err != nil {
			return err
		}
	}
	return unix.Unlinkat(fd, name, unix.AT_REMOVEDIR)
}

// submodules makes the folders of those that come, and removes those that go where nothing is in them, as the repository does.
func (l *Layout) submodules(f *folders) {
	for _, path := range l.removed {
		if fd, name, err := f.parentOf(path, false); err == nil && !l.repo.standsIn(path) {
			_ = unix.Unlinkat(fd, name, unix.AT_REMOVEDIR)
		}
	}
	for _, path := range l.added {
		if fd, name, err := f.parentOf(path, true); err == nil {
			_ = unix.Mkdirat(fd, name, 0o777)
		}
	}
}

// where says how far a step has come.
type where int

const (
	notYet    where = iota
	done            // the new file lies there, or nothing if it goes
	somebodys       // something lies there that is neither the old file nor the new one
)

// standing says where a step stands, and where the old file lies if it is done.
func (l *Layout) standing(f *folders, n int, s FileStep) (at where, old string, err error) {
	fd, name, err := f.parentOf(s.To.Path, false)
	if err != nil && !isAbsent(err) {
		return somebodys, "", err
	}
	isNew, isOld := s.To.Mode == ModeNone, s.Seen.Mode == ModeNone
	if err == nil {
		var lookErr error
		if isNew, lookErr = l.stillIs(s.To, fd, name, false); lookErr != nil {
			return somebodys, "", lookErr
		}
		if isOld, lookErr = l.stillIs(s.Seen, fd, name, false); lookErr != nil {
			return somebodys, "", lookErr
		}
	}
	switch {
	case isNew && !isOld:
		return done, l.oldOf(n, s), nil
	case isOld && !isNew:
		return notYet, "", nil
	case isOld: // both are the same bytes
		if old = l.oldOf(n, s); old != "" {
			return done, old, nil
		}
		return notYet, "", nil
	}
	return somebodys, l.oldOf(n, s), nil
}

// oldOf is where the old file of a step lies in the layout; empty: nowhere.
func (l *Layout) oldOf(n int, s FileStep) string {
	if s.Seen.Mode == ModeNone {
		return ""
	}
	if _, err := lookAt(l.fd, asideName(n)); err == nil {
		return asideName(n)
	}
	if s.from != "" && s.To.Mode != ModeNone {
		if is, err := l.stillIs(s.To, l.fd, s.from, false); err == nil && !is {
			if _, err := lookAt(l.fd, s.from); err == nil {
				return s.from
			}
		}
	}
	return ""
}

// Resume carries out what a crash left of the steps. It gives the paths of files that somebody changed since: they stay.
func (l *Layout) Resume() (changed []string, err error) {
	f, err := l.repo.openFolders()
	if err != nil {
		return nil, err
	}
	defer f.close()
	for n, s := range l.Steps {
		f.forget()
		at, _, err := l.standing(f, n, s)
		if err != nil {
			return changed, err
		}
		if at == notYet {
			err = l.carry(f, n, s)
		}
		var moved *FileMovedError
		switch {
		case at == somebodys, errors.As(err, &moved):
			changed = append(changed, s.To.Path)
		case err != nil:
			return changed, fmt.Errorf("write %q: %w", s.To.Path, err)
		}
	}
	l.submodules(f)
	return changed, nil
}

// TakeBack brings the files back that the steps replaced, by what was moved aside. It gives the paths of files that somebody
// changed since: they stay.
func (l *Layout) TakeBack() (changed []string, err error) {
	f, err := l.repo.openFolders()
	if err != nil {
		return nil, err
	}
	defer f.close()
	for n := l.begun - 1; n >= 0; n-- {
		s := l.Steps[n]
		f.forget()
		at, old, err := l.standing(f, n, s)
		switch {
		case err != nil:
		case at == somebodys:
			changed = append(changed, s.To.Path)
		case at == done:
			err = l.bringBack(f, s, old)
		}
		if err != nil {
			return changed, fmt.Errorf("bring back %q: %w", s.To.Path, err)
		}
	}
	for _, path := range l.added {
		if fd, name, err := f.parentOf(path, false); err == nil {
			_ = unix.Unlinkat(fd, name, unix.AT_REMOVEDIR)
		}
	}
	for _, path := range l.removed {
		if fd, name, err := f.parentOf(path, true); err == nil {
			_ = unix.Mkdirat(fd, name, 0o777)
		}
	}
	return changed, nil
}

// bringBack takes one step back that was carried out.
func (l *Layout) bringBack(f *folders, s FileStep, old string) error {
	if s.Seen.Mode != ModeNone && old == "" {
		return fmt.Errorf("what lay there is gone: %w", fs.ErrNotExist)
	}
	fd, name, err := f.parentOf(s.To.Path, s.Seen.Mode != ModeNone)
	switch {
	case err != nil:
		return err
	case s.Seen.Mode == ModeNone:
		if err := l.move(fd, name, l.fd, s.from); err != nil {
			return err
		}
		l.removeFolders(f, s.To.Path)
		return nil
	case s.To.Mode == ModeNone:
		return l.move(l.fd, old, fd, name)
	case old == s.from:
		return l.swap(old, fd, name)
	}
	if err := l.move(fd, name, l.fd, s.from); err != nil {
		return err
	}
	return l.move(l.fd, old, fd, name)
}

// LookLate looks once more at the files that were replaced: who had one open and saved into it finds the save at its place again.
func (l *Layout) LookLate() error {
	f, err := l.repo.openFolders()
	if err != nil {
		return err
	}
	defer f.close()
	for n, s := range l.Steps {
		old := l.oldOf(n, s)
		if old == "" || !s.Seen.Mode.IsFile() {
			continue
		}
		lies, err := lookAt(l.fd, old)
		if err != nil || s.Seen.stat == (fileStat{}) || lies.stat.modified == s.Seen.stat.modified && lies.stat.size == s.Seen.stat.size {
			continue
		}
		if is, err := l.stillIs(s.Seen, l.fd, old, false); err != nil || is {
			continue
		}
		if err := l.bringBack(f, s, old); err != nil {
			return fmt.Errorf("bring back what was saved into %q: %w", s.To.Path, err)
		}
		l.Late = append(l.Late, s.To.Path)
	}
	return nil
}

// indexFile is the file of the index.
func (r *Repo) indexFile() string {
	if name := os.Getenv("GIT_INDEX_FILE"); name != "" {
		if !filepath.IsAbs(name) {
			name = filepath.Join(r.top, name)
		}
		return name
	}
	return filepath.Join(r.gitDir, "index")
}

// InstallIndex puts the new index in the place of the one that it was made from, with the times that the new files have now that
// they lie in their places. Errors: ErrLocked, ErrMoved.
func (l *Layout) InstallIndex() error {
	if l.index == "" {
		return nil
	}
	data, err := os.ReadFile(filepath.Join(l.dir, indexPart))
	if err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	written := make(map[string]bool, len(l.Steps))
	for _, s := range l.Steps {
		if s.To.Mode != ModeNone {
			written[s.To.Path] = true
		}
	}
	top, err := os.Open(l.repo.top)
	if err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	defer top.Close()
	setStats(data, l.repo, func(path string, noted fileStat) (fileStat, bool) {
		if !written[path] && int64(noted.modified.seconds) < l.written.Unix() {
			return noted, false
		}
		now, there := statBelow(int(top.Fd()), path)
		if written[path] {
			return now, there && now.size == noted.size
		}
		// It changed so near to when the index before was written that its times do not tell whether it changed after that. That
		// index said so by its own time; this one says it by a size that no content has.
		if !there || now != noted || !noted.settled(l.written) {
			noted.size = 0
		}
		return noted, true
	})
	return l.repo.replaceIndex(l.index, data)
}

// IndexBack puts the index back that there was before, if it is not there.
func (l *Layout) IndexBack() error {
	kept := filepath.Join(l.dir, indexKept)
	data, err := os.ReadFile(kept)
	if errors.Is(err, fs.ErrNotExist) {
		err = os.Remove(l.repo.indexFile())
		if errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
		return err
	}
	if err != nil {
		return fmt.Errorf("bring the index back: %w", err)
	}
	was, wasErr := os.Stat(kept)
	is, isErr := os.Stat(l.repo.indexFile())
	if wasErr == nil && isErr == nil && os.SameFile(was, is) {
		return nil
	}
	return l.repo.replaceIndex("", data)
}

// replaceIndex writes the index's file anew, under its lock. With a stamp it refuses where the index is not that one any more.
func (r *Repo) replaceIndex(seen string, data []byte) error {
	name := r.indexFile()
	lock, err := os.OpenFile(name+".lock", os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if errors.Is(err, fs.ErrExist) {
		return newLockedError(name + ".lock")
	}
	if err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	_, err = lock.Write(data)
	if info, statErr := os.Stat(name); statErr == nil && err == nil {
		err = lock.Chmod(info.Mode().Perm())
	}
	err = errors.Join(err, lock.Close())
	if err == nil && seen != "" && r.indexStamp().b.String() != seen {
		err = ErrMoved
	}
	if err == nil {
		err = os.Rename(name+".lock", name)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("write the index: %w", err), os.Remove(name+".lock"))
	}
	r.wrote("update-index")
	return nil
}
