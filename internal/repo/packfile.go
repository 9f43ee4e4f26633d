package repo

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/zlib"
	"context"
	"crypto/rand"
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
	objects := make([]namedObject, len(blobs))
	for i, blob := range blobs {
		ids[i] = r.HashObject(KindBlob, blob)
		objects[i] = namedObject{ids[i], Object{KindBlob, blob}}
	}
	return ids, r.writeObjects(ctx, objects)
}

// namedObject is an object to be written, with its id.
type namedObject struct {
	id ID
	Object
}

// writeObjects adds objects to the repository, in the formats that it documents (gitformat-pack,
// gitrepository-layout): as one pack with its index, or a few as loose files. Where the files of
// the repository are not simply ours to write, its own commands do it.
func (r *Repo) writeObjects(ctx context.Context, objects []namedObject) error {
	objects = distinct(objects)
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
func distinct(objects []namedObject) []namedObject {
	seen := make(map[ID]bool, len(objects))
	return slices.DeleteFunc(slices.Clone(objects), func(o namedObject) bool {
		before := seen[o.id]
		seen[o.id] = true
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
	return shared == "" || shared == "umask" || !Truth(shared, true), err
}

func (r *Repo) objectDir() string { return filepath.Join(r.commonDir, "objects") }

// createTemporary makes a file beside its place, for something that never changes: read-only, for those whom the umask lets read.
func createTemporary(dir string) (*os.File, error) {
	for {
		name := filepath.Join(dir, "tmp_obj_"+rand.Text()) // the repository's maintenance takes away what is left of those
		file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o444)
		if !errors.Is(err, fs.ErrExist) {
			return file, err
		}
	}
}

// placed writes a file beside its place, synced, and puts it there whole. What writes it gives its name.
func placed(dir string, write func(io.Writer) (name string, err error)) error {
	file, err := createTemporary(dir)
	if err != nil {
		return err
	}
	buffered := bufio.NewWriterSize(file, 1<<16)
	name, err := write(buffered)
	err = errors.Join(err, buffered.Flush())
	if err == nil {
		err = file.Sync()
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
func (r *Repo) writeLooseFiles(objects []namedObject) error {
	deflate, err := zlib.NewWriterLevel(nil, zlib.BestSpeed)
	if err != nil {
		return err
	}
	for _, object := range objects {
		id := object.id.String()
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
func (r *Repo) writeByCommand(ctx context.Context, objects []namedObject) error {
	for _, object := range objects {
		if _, err := r.run(ctx, object.Data, "hash-object", "-w", "-t", string(object.Kind), "--stdin"); err != nil {
			return err
		}
	}
	return nil
}

// packByCommand has the repository take a pack in.
func (r *Repo) packByCommand(ctx context.Context, objects []namedObject) error {
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
func (r *Repo) writePackFiles(objects []namedObject) error {
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
	r.notePack(p.name())
	return SyncFolder(dir)
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

// packWriter writes a pack (format version 2).
type packWriter struct {
	out      io.Writer
	sum      hash.Hash
	buffer   bytes.Buffer // what comes next
	deflate  *zlib.Writer // into the buffer
	store    *zlib.Writer // so too, without making it shorter
	written  packed
	position uint64
}

// encodePack writes a pack, each object whole.
func (r *Repo) encodePack(out io.Writer, objects []namedObject) (packed, error) {
	p := packWriter{out: out, sum: r.newHash()}
	p.written.entries = make([]packEntry, 0, len(objects))
	var err error
	if p.deflate, err = zlib.NewWriterLevel(nil, zlib.BestSpeed); err != nil {
		return packed{}, err
	}
	if p.store, err = zlib.NewWriterLevel(nil, zlib.NoCompression); err != nil {
		return packed{}, err
	}
	p.head(len(objects))
	if err := p.flush(); err != nil {
		return packed{}, err
	}
	for _, object := range slices.Backward(objects) { // the latest come first: they are read most
		if err := p.object(object); err != nil {
			return packed{}, err
		}
	}
	return p.end()
}

// head begins a pack of so many objects.
func (p *packWriter) head(objects int) {
	p.buffer.WriteString("PACK")
	p.buffer.Write(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, 2), uint32(objects)))
}

// end ends the pack with its sum.
func (p *packWriter) end() (packed, error) {
	p.written.sum = p.sum.Sum(nil)
	_, err := p.out.Write(p.written.sum)
	return p.written, err
}

// worthDeflating is from how many bytes on an object gets so much shorter by it that it is worth the time.
const worthDeflating = 512

func (p *packWriter) object(object namedObject) error {
	p.buffer.Write(packHead(packKinds[object.Kind], len(object.Data)))
	into := p.deflate
	if len(object.Data) < worthDeflating {
		into = p.store
	}
	into.Reset(&p.buffer)
	if _, err := into.Write(object.Data); err != nil {
		return err
	}
	if err := into.Close(); err != nil {
		return err
	}
	p.written.entries = append(p.written.entries, packEntry{object.id, crc32.ChecksumIEEE(p.buffer.Bytes()), p.position})
	return p.flush()
}

func (p *packWriter) flush() error {
	p.position += uint64(p.buffer.Len())
	p.sum.Write(p.buffer.Bytes())
	_, err := p.out.Write(p.buffer.Bytes())
	p.buffer.Reset()
	return err
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
