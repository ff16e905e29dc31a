package web

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
)

// page is a built file, also in compressed forms where those are smaller, by the name of the coding.
type page struct {
	kind  string
	plain []byte
	small map[string][]byte
}

// pages are the built files of the front end, by path.
type pages map[string]page

func newPages(files fs.FS) pages {
	all := pages{}
	_ = fs.WalkDir(files, ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		if path.Ext(name) == ".br" {
			return nil
		}
		p := page{kind: mime.TypeByExtension(path.Ext(name)), plain: text, small: map[string][]byte{}}
		if br, err := fs.ReadFile(files, name+".br"); err == nil {
			p.small["br"] = br
		}
		var out bytes.Buffer
		w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
		_, _ = w.Write(text)
		_ = w.Close()
		if path.Ext(name) != ".woff2" && out.Len() < len(text) {
			p.small["gzip"] = out.Bytes()
		}
		all["/"+name] = p
		return nil
	})
	return all
}

// ServeHTTP serves built files, and the page for every other address, where the front end finds its way.
func (all pages) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name := path.Clean(r.URL.Path)
	p, found := all[name]
	switch {
	case found && strings.HasPrefix(name, "/assets/"):
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	case strings.HasPrefix(name, "/assets/"):
		http.Error(w, "there is no such file", http.StatusNotFound)
		return
	default:
		if !found || name == "/.gitkeep" {
			p, found = all["/index.html"]
		}
		w.Header().Set("Cache-Control", "no-cache")
	}
	if !found {
		http.Error(w, "the front end is not built; run make build", http.StatusServiceUnavailable)
		return
	}
	w.Header().Set("Content-Type", p.kind)
	w.Header().Set("Vary", "Accept-Encoding")
	body := p.plain
	for _, coding := range []string{"br", "gzip"} {
		if small := p.small[coding]; small != nil && strings.Contains(r.Header.Get("Accept-Encoding"), coding) {
			w.Header().Set("Content-Encoding", coding)
			body = small
			break
		}
	}
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(body)
	}
}
