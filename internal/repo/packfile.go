package repo

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/zlib"
	"context"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"
)

// fewObjects is up to how many objects are better written one by one: packs are for
// the repository's maintenance to gather, and many small ones slow it down.
const fewObjects = 12

// WriteBlobs adds file contents to the repository and gives their ids.
func (r *Repo) WriteBlobs(ctx context.Context, blobs [][]byte) ([]ID, error) {
	ids := make([]ID, len(blobs))
	objects := make([]Object, len(blobs))
	for i, blob := range blobs {
		ids[i] = r.HashObject(KindBlob, blob)
		objects[i] = Object{KindBlob, blob}
	}
	return ids, r.writeObjects(ctx, objects)
}

// writeObjects adds objects to the repository, in the formats that it documents (gitformat-pack,
// gitrepository-layout): as one pack with its index, or a few as loose files. Where the files of
// the repository are not simply ours to write, its own commands do it.
func (r *Repo) writeObjects(ctx context.Context, objects []Object) error {
	objects = r.distinct(objects)
	if len(objects) == 0 {
		return nil
	}
	plain, err := r.plainObjectFiles(ctx)
	switch {
	case err != nil:
		return err
	case plain && len(objects) <= fewObjects:
		err = r.writeLooseFiles(objects)
	case plain:
		err = r.writePackFiles(objects)
	case len(objects) <= fewObjects:
		err = r.writeByCommand(ctx, objects)
	default:
		err = r.packByCommand(ctx, objects)
	}
	if err != nil {
		return fmt.Errorf("write %d objects: %w", len(objects), err)
	}
	return nil
}

// distinct leaves out what is there twice.
func (r *Repo) distinct(objects []Object) []Object {
	seen := make(map[ID]bool, len(objects))
	return slices.DeleteFunc(slices.Clone(objects), func(o Object) bool {
		id := r.HashObject(o.Kind, o.Data)
		before := seen[id]
		seen[id] = true
		return before
	})
}

// plainObjectFiles says whether objects lie in the usual place, with the rights that files have
// there by themselves.
func (r *Repo) plainObjectFiles(ctx context.Context) (bool, error) {
	if os.Getenv("GIT_OBJECT_DIRECTORY") != "" {
		return false, nil
	}
	shared, err := r.Config(ctx, "core.sharedRepository")
	return shared == "" || shared == "umask" || shared == "false" || shared == "0", err
}

func (r *Repo) objectDir() string { return filepath.Join(r.commonDir, "objects") }

// objectMode is the mode of files that never change.
const objectMode = 0o444

// placed writes a file beside its place, synced, and puts it there whole. What writes it gives its name.
func placed(dir string, write func(io.Writer) (name string, err error)) error {
	file, err := os.CreateTemp(dir, "tmp_obj_") // the repository's maintenance takes away what is left of those
	if err != nil {
		return err
	}
	buffered := bufio.NewWriterSize(file, 1<<16)
	name, err := write(buffered)
	err = errors.Join(err, buffered.Flush())
	if err == nil {
		err = errors.Join(file.Chmod(objectMode), file.Sync())
	}
	if err = errors.Join(err, file.Close()); err == nil {
		err = os.Rename(file.Name(), filepath.Join(dir, name))
	}
	if err != nil {
		os.Remove(file.Name())
	}
	return err
}

// writeLooseFiles writes each object as a file of its own.
func (r *Repo) writeLooseFiles(objects []Object) error {
	deflate, err := zlib.NewWriterLevel(nil, zlib.BestSpeed)
	if err != nil {
		return err
	}
	for _, object := range objects {
		id := r.HashObject(object.Kind, object.Data).String()
		dir := filepath.Join(r.objectDir(), id[:2])
		now := time.Now()
		if os.Chtimes(filepath.Join(dir, id[2:]), now, now) == nil {
			continue // it is there; now it is young again, so that nothing prunes it
		}
		if err := os.Mkdir(dir, 0o777); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		err := placed(dir, func(w io.Writer) (string, error) {
			deflate.Reset(w)
			_, err := fmt.Fprintf(deflate, "%s %d\x00", object.Kind, len(object.Data))
			if err == nil {
				_, err = deflate.Write(object.Data)
			}
			return id[2:], errors.Join(err, deflate.Close())
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// writeByCommand has the repository write each object.
func (r *Repo) writeByCommand(ctx context.Context, objects []Object) error {
	for _, object := range objects {
		if _, err := r.run(ctx, object.Data, "hash-object", "-w", "-t", string(object.Kind), "--stdin"); err != nil {
			return err
		}
	}
	return nil
}

// packByCommand has the repository take a pack in.
func (r *Repo) packByCommand(ctx context.Context, objects []Object) error {
	pipe, w := io.Pipe()
	go func() {
		_, err := r.encodePack(w, objects)
		w.CloseWithError(err)
	}()
	_, err := r.invoke(ctx, invocation{args: []string{"index-pack", "--stdin"}, stdin: pipe})
	pipe.Close()
	return err
}

// writePackFiles writes a pack and its index: a pack without an index is not seen, so the index
// comes last.
func (r *Repo) writePackFiles(objects []Object) error {
	dir := filepath.Join(r.objectDir(), "pack")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return err
	}
	var p packed
	err := placed(dir, func(w io.Writer) (_ string, err error) {
		p, err = r.encodePack(w, objects)
		return p.name() + ".pack", err
	})
	if err != nil {
		return err
	}
	err = placed(dir, func(w io.Writer) (string, error) { return p.name() + ".idx", r.encodeIndex(w, p) })
	if err != nil {
		return err
	}
	folder, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}

// packed says where the objects of a pack lie.
type packed struct {
	entries []packEntry
	sum     []byte // of the pack
}

func (p packed) name() string { return "pack-" + hex.EncodeToString(p.sum) }

type packEntry struct {
	id     ID
	crc    uint32 // of the entry as it is packed
	offset uint64
}

// packKinds are the type numbers of the pack format.
var packKinds = map[Kind]byte{KindCommit: 1, KindTree: 2, KindBlob: 3, KindTag: 4}

// encodePack writes a pack (format version 2, no deltas).
func (r *Repo) encodePack(out io.Writer, objects []Object) (packed, error) {
	sum := r.newHash()
	entry := crc32.NewIEEE()
	var buffer bytes.Buffer
	p := packed{entries: make([]packEntry, 0, len(objects))}
	var offset uint64
	flush := func() error {
		offset += uint64(buffer.Len())
		sum.Write(buffer.Bytes())
		_, err := out.Write(buffer.Bytes())
		buffer.Reset()
		return err
	}
	buffer.WriteString("PACK")
	buffer.Write(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, 2), uint32(len(objects))))
	if err := flush(); err != nil {
		return p, err
	}
	squeeze, err := zlib.NewWriterLevel(&buffer, zlib.BestSpeed)
	if err != nil {
		return p, err
	}
	// Trees are mostly hashes, which hardly get smaller; the repository's own
	// maintenance stores them as differences to each other some day.
	store, err := zlib.NewWriterLevel(&buffer, zlib.NoCompression)
	if err != nil {
		return p, err
	}
	for _, object := range objects {
		buffer.Write(packHead(packKinds[object.Kind], len(object.Data)))
		deflate := squeeze
		if object.Kind == KindTree {
			deflate = store
		}
		deflate.Reset(&buffer)
		if _, err := deflate.Write(object.Data); err != nil {
			return p, err
		}
		if err := deflate.Close(); err != nil {
			return p, err
		}
		entry.Reset()
		entry.Write(buffer.Bytes())
		p.entries = append(p.entries, packEntry{r.HashObject(object.Kind, object.Data), entry.Sum32(), offset})
		if err := flush(); err != nil {
			return p, err
		}
	}
	p.sum = sum.Sum(nil)
	_, err = out.Write(p.sum)
	return p, err
}

// packHead is an object's type and length: 4 bits of length in the first byte,
// 7 in each that follows, the top bit saying that more come.
func packHead(kind byte, size int) []byte {
	b := kind<<4 | byte(size&15)
	size >>= 4
	var head []byte
	for size > 0 {
		head = append(head, b|0x80)
		b = byte(size & 0x7f)
		size >>= 7
	}
	return append(head, b)
}

// largeOffset is from where on an index keeps an offset in its table of large ones.
const largeOffset = 1 << 31

// encodeIndex writes a pack's index (format version 2).
func (r *Repo) encodeIndex(out io.Writer, p packed) error {
	entries := slices.SortedFunc(slices.Values(p.entries), func(a, b packEntry) int { return cmp.Compare(a.id.raw, b.id.raw) })
	sum := r.newHash()
	w := summed{out, sum}
	be := binary.BigEndian
	w.write([]byte("\xfftOc"), be.AppendUint32(nil, 2))
	var counts [256]uint32
	for _, e := range entries {
		counts[e.id.raw[0]]++
	}
	var below uint32
	for _, n := range counts {
		below += n
		w.write(be.AppendUint32(nil, below))
	}
	for _, e := range entries {
		w.write([]byte(e.id.raw))
	}
	for _, e := range entries {
		w.write(be.AppendUint32(nil, e.crc))
	}
	var large []uint64
	for _, e := range entries {
		if e.offset < largeOffset {
			w.write(be.AppendUint32(nil, uint32(e.offset)))
			continue
		}
		w.write(be.AppendUint32(nil, largeOffset|uint32(len(large))))
		large = append(large, e.offset)
	}
	for _, offset := range large {
		w.write(be.AppendUint64(nil, offset))
	}
	w.write(p.sum)
	_, err := out.Write(sum.Sum(nil)) // what went wrong before goes wrong here too: the writer keeps its error
	return err
}

// summed writes and sums up.
type summed struct {
	out io.Writer
	sum hash.Hash
}

func (s summed) write(parts ...[]byte) {
	for _, part := range parts {
		s.sum.Write(part)
		_, _ = s.out.Write(part) // a buffered writer keeps its first error
	}
}
