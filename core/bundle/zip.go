package bundle

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"io"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"goldshelf/core/problem"
)

// WriteZip gives entry files as a zip, in the order of their names and without
// anything that differs between two writings of the same files.
func WriteZip(files map[string][]byte) ([]byte, error) {
	names := make([]string, 0, len(files))
	for name := range files {
		names = append(names, name)
	}
	slices.Sort(names)
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	// One compressor serves all files: its tables are larger than most of them.
	deflate, err := flate.NewWriter(nil, flate.BestSpeed)
	if err != nil {
		return nil, err
	}
	w.RegisterCompressor(zip.Deflate, func(out io.Writer) (io.WriteCloser, error) {
		deflate.Reset(out)
		return deflate, nil
	})
	for _, name := range names {
		f, err := w.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate})
		if err != nil {
			return nil, err
		}
		if _, err := f.Write(files[name]); err != nil {
			return nil, err
		}
	}
	err = w.Close()
	return out.Bytes(), err
}

// readZip reads the entry files of a zip, in whatever folders they are. A file's
// comment is the change note of its version. What is no Markdown, and what begins
// with a dot, is passed over.
func readZip(data []byte) ([]Incoming, error) {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, one("zip", "it is no zip that can be read: %v", err)
	}
	var files []*zip.File
	var wrong problem.List
	var total uint64
	seen := map[string]string{}
	for _, f := range r.File {
		name := strings.ReplaceAll(f.Name, `\`, "/")
		lower := strings.ToLower(path.Clean(name))
		switch {
		case strings.HasSuffix(name, "/"), strings.HasPrefix(path.Base(name), "."), strings.HasPrefix(name, "__MACOSX/"):
			continue
		case strings.HasPrefix(name, "/"), strings.Contains(name, ":"), slices.Contains(strings.Split(name, "/"), ".."):
			wrong.Add("", "path", "%s leads out of the zip; take such files out", f.Name)
			continue
		case !f.Mode().IsRegular():
			wrong.Add("", "link", "%s is no file but a link or a device; take it out", f.Name)
			continue
		case seen[lower] != "":
			wrong.Add("", "twice", "%s and %s are one file where capitals do not count; rename one", seen[lower], f.Name)
			continue
		case path.Ext(lower) != ".md":
			continue
		}
		seen[lower] = f.Name
		if total += f.UncompressedSize64; total > maxUnzip || len(files) > MaxEntries {
			wrong.Add("", "size", "unpacked it would be more than %d MiB or %d files; take it in parts", maxUnzip>>20, MaxEntries)
			break
		}
		files = append(files, f)
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	all := make([]Incoming, len(files))
	var next atomic.Int64
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) { // each file stands for itself
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(files); i = int(next.Add(1)) - 1 {
				all[i] = unzipped(files[i])
				all[i].Note = strings.TrimSpace(files[i].Comment)
			}
		})
	}
	wg.Wait()
	return all, nil
}

// mostOfFile is the longest entry file: a header and a text.
const mostOfFile = MaxHeader + 512<<10

func unzipped(f *zip.File) Incoming {
	bad := func(code, format string, args ...any) Incoming {
		in := fromFile(f.Name, nil)
		in.File, in.Wrong = File{}, one(code, format, args...)
		in.Where = f.Name
		return in
	}
	if f.UncompressedSize64 > mostOfFile {
		return bad("size", "it has %d bytes, and an entry's text has 256 KiB at most", f.UncompressedSize64)
	}
	r, err := f.Open()
	if err != nil {
		return bad("zip", "it cannot be unpacked: %v", err)
	}
	defer r.Close()
	// What a zip says of its sizes need not be so.
	data, err := io.ReadAll(io.LimitReader(r, mostOfFile+1))
	if err != nil {
		return bad("zip", "it cannot be unpacked: %v", err)
	}
	if len(data) > mostOfFile {
		return bad("size", "it is larger than it says, and an entry's text has 256 KiB at most")
	}
	in := fromFile(f.Name, data)
	in.Where = f.Name
	return in
}
