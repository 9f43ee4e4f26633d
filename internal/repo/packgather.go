package repo

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Many packs slow a repository down, and each rewriting makes one. So those that Bastel wrote are noted, and put together once there are
// many: entries are copied as they are packed, which costs little, and nothing is unpacked or judged. Packs of others are left alone.

const (
	packsFile    = "packs" // names of packs that Bastel wrote, one in a line
	manyPacks    = 20
	mostPacked   = 4 << 20  // bytes of a pack that is put together with others; larger ones stay as they are
	mostTogether = 32 << 20 // bytes of all that are put together at once, which are in memory
)

// notePack notes a pack as Bastel's own. That it cannot be noted costs nothing but that it stays by itself.
func (r *Repo) notePack(name string) {
	dir, err := r.SharedStateDir()
	if err != nil {
		return
	}
	file, err := os.OpenFile(filepath.Join(dir, packsFile), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o666)
	if err != nil {
		return
	}
	_, _ = file.WriteString(name + "\n")
	_ = file.Close()
}

// ErrBadPack is a pack that is not as its index says.
var ErrBadPack = errors.New("a pack is damaged")

// GatherPacks puts the packs that Bastel wrote together if there are many, and gives how many became one. Other programs may read and
// write meanwhile: the new pack is there, whole and synced, before any of the others goes.
func (r *Repo) GatherPacks(ctx context.Context) (int, error) {
	plain, err := r.plainObjectFiles(ctx)
	if err != nil || !plain {
		return 0, err
	}
	dir := filepath.Join(r.objectDir(), "pack")
	if _, err := os.Lstat(filepath.Join(dir, "multi-pack-index")); !errors.Is(err, fs.ErrNotExist) {
		return 0, nil // it names packs: the repository's maintenance looks after them
	}
	noted := filepath.Join(r.commonDir, "bastel", packsFile)
	names, err := ownPacks(noted, dir)
	if err != nil || len(names) < manyPacks {
		return 0, err
	}
	var together packed
	err = placed(dir, func(w io.Writer) (string, error) {
		together, err = r.joinPacks(ctx, w, dir, names)
		return together.name() + ".pack", err
	})
	if err == nil {
		err = placed(dir, func(w io.Writer) (string, error) { return together.name() + ".idx", r.encodeIndex(w, together) })
	}
	if err == nil {
		err = SyncFolder(dir)
	}
	if err != nil {
		return 0, fmt.Errorf("put %d packs together: %w", len(names), err)
	}
	r.notePack(together.name())
	for _, name := range names {
		if name == together.name() {
			continue
		}
		_ = os.Remove(filepath.Join(dir, name+".idx")) // first: a pack without one is not seen
		_ = os.Remove(filepath.Join(dir, name+".pack"))
	}
	names = slices.DeleteFunc(names, func(name string) bool { return name == together.name() })
	return len(names), forgetPacks(noted, names)
}

// forgetPacks takes names that are not there any more off the list. Others, noted meanwhile too, stay.
func forgetPacks(noted string, gone []string) error {
	list, err := os.ReadFile(noted)
	if err != nil {
		return err
	}
	left := slices.DeleteFunc(strings.Fields(string(list)), func(name string) bool { return slices.Contains(gone, name) })
	return os.WriteFile(noted, []byte(strings.Join(left, "\n")+"\n"), 0o666)
}

// ownPacks are the noted packs that are there, small enough, and of which nobody has made anything else.
func ownPacks(noted, dir string) ([]string, error) {
	list, err := os.ReadFile(noted)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var names []string
	var total int64
	for name := range strings.FieldsSeq(string(list)) {
		files, err := filepath.Glob(filepath.Join(dir, name+".*")) // such as one that says that it is to be kept
		if err != nil || !strings.HasPrefix(name, "pack-") || len(files) != 2 || slices.Contains(names, name) {
			continue
		}
		info, err := os.Lstat(filepath.Join(dir, name+".pack"))
		if err != nil || info.Size() > mostPacked || total+info.Size() > mostTogether {
			continue
		}
		names, total = append(names, name), total+info.Size()
	}
	return names, nil
}

// joinPacks writes one pack of several. What is in several is taken from the first.
func (r *Repo) joinPacks(ctx context.Context, out io.Writer, dir string, names []string) (packed, error) {
	var taken []packEntry
	parts := make([][]byte, len(names))
	of := map[ID]int{} // the pack that an object is taken from
	for i, name := range names {
		if err := ctx.Err(); err != nil {
			return packed{}, err
		}
		pack, err := os.ReadFile(filepath.Join(dir, name+".pack"))
		if err != nil {
			return packed{}, err
		}
		index, err := os.ReadFile(filepath.Join(dir, name+".idx"))
		if err != nil {
			return packed{}, err
		}
		entries, err := r.entriesOf(pack, index)
		if err != nil {
			return packed{}, fmt.Errorf("%s: %w", name, err)
		}
		var kept bytes.Buffer
		for n, e := range entries {
			if _, twice := of[e.id]; twice {
				continue
			}
			of[e.id] = i
			end := uint64(len(pack) - r.idLen)
			if n+1 < len(entries) {
				end = entries[n+1].offset
			}
			raw := pack[e.offset:end]
			// A difference from another object, which Bastel writes none of, is not moved.
			if crc32.ChecksumIEEE(raw) != e.crc || raw[0]>>4&7 > packKinds[KindTag] {
				return packed{}, fmt.Errorf("%s, object %s: %w", name, e.id, ErrBadPack)
			}
			taken = append(taken, packEntry{e.id, e.crc, uint64(kept.Len())})
			kept.Write(raw)
		}
		parts[i] = kept.Bytes()
	}
	w := packWriter{out: out, sum: r.newHash()}
	w.head(len(taken))
	if err := w.flush(); err != nil {
		return packed{}, err
	}
	n := 0
	for i, part := range parts {
		for ; n < len(taken) && of[taken[n].id] == i; n++ {
			taken[n].offset += w.position
		}
		w.buffer.Write(part)
		if err := w.flush(); err != nil {
			return packed{}, err
		}
	}
	w.written.entries = taken
	return w.end()
}

// entriesOf reads which objects a pack has, in their order there, from its index (gitformat-pack, version 2).
func (r *Repo) entriesOf(pack, index []byte) ([]packEntry, error) {
	const head, fan = 8, 256 * 4
	sum := r.newHash()
	if len(index) < head+fan+2*r.idLen || len(pack) < 12+r.idLen || string(index[:head]) != "\xfftOc\x00\x00\x00\x02" {
		return nil, ErrBadPack
	}
	sum.Write(pack[:len(pack)-r.idLen])
	if !bytes.Equal(sum.Sum(nil), pack[len(pack)-r.idLen:]) || !bytes.Equal(pack[len(pack)-r.idLen:], index[len(index)-2*r.idLen:][:r.idLen]) {
		return nil, ErrBadPack
	}
	count := int(binary.BigEndian.Uint32(index[head+fan-4:]))
	ids := index[head+fan:]
	if len(ids) != count*(r.idLen+8)+2*r.idLen {
		return nil, ErrBadPack // or with offsets that only a very large pack has
	}
	sums, offsets := ids[count*r.idLen:], ids[count*(r.idLen+4):]
	entries := make([]packEntry, count)
	for i := range entries {
		entries[i] = packEntry{ID{string(ids[i*r.idLen : (i+1)*r.idLen])}, binary.BigEndian.Uint32(sums[4*i:]),
			uint64(binary.BigEndian.Uint32(offsets[4*i:]))}
		if entries[i].offset < 12 || entries[i].offset >= uint64(len(pack)-r.idLen) {
			return nil, ErrBadPack
		}
	}
	slices.SortFunc(entries, func(a, b packEntry) int { return int(int64(a.offset) - int64(b.offset)) })
	return entries, nil
}

// SyncFolder makes the names in a folder last, also where the power goes.
func SyncFolder(dir string) error {
	folder, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}
