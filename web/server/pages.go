package server

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"slices"
	"strconv"
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

// ownPages are the addresses of the front end's screens, behind those of a desk and a child.
var ownPages = []string{"/", "/hand-in", "/courses", "/path", "/drafts", "/errands", "/history", "/account", "/people",
	"/data", "/prepare", "/rules", "/catalog", "/tryouts", "/paper", "/demand", "/sections", "/placement", "/result", "/seats"}

// parts are what only documents load, by its file's ending; ofDocuments are the headers that a browser heeds
// in documents alone, a third of a kilobyte that each part of a first load would carry in vain.
var (
	parts       = []string{".js", ".css", ".woff2", ".woff"}
	ofDocuments = []string{"Content-Security-Policy", "Cross-Origin-Opener-Policy", "Permissions-Policy"}
)

// screens reports whether an address is one of the front end's, which finds its way from there. The paths of
// someone who comes for several things begin with /d/ and what they come for.
func screens(name string) bool {
	if rest, ok := strings.CutPrefix(name, "/d/"); ok && rest != "" {
		_, rest, _ = strings.Cut(rest, "/")
		name = path.Clean("/" + rest)
	}
	if rest, ok := strings.CutPrefix(name, "/child/"); ok { // a school, a child, and a screen
		parts := strings.SplitN(rest, "/", 3)
		if len(parts) < 2 {
			return false
		}
		name = "/" + strings.Join(parts[2:], "/")
	}
	if rest, ok := strings.CutPrefix(name, "/draft/"); ok { // one of the drafts, and a screen
		id, after, _ := strings.Cut(rest, "/")
		if _, err := strconv.ParseInt(id, 10, 64); err != nil {
			return false
		}
		name = "/" + after
	}
	if rest, ok := strings.CutPrefix(name, "/student/"); ok { // a student for the school, and a screen of the sheet
		student, screen, more := strings.Cut(rest, "/")
		if student == "" || !more {
			return student != ""
		}
		if screen == "changes" {
			return true
		}
		if name, ok = strings.CutPrefix(screen, "sheet"); !ok {
			return false
		}
		name = path.Clean("/" + name)
	}
	if code, ok := strings.CutPrefix(name, "/course/"); ok { // a course of the catalog, whatever its code
		return code != ""
	}
	return slices.Contains(ownPages, name)
}

// ServeHTTP serves built files, and the page for the addresses of the front end; there is nothing at others.
func (all pages) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name := path.Clean(r.URL.Path)
	p, found := all[name]
	switch {
	case found && strings.HasPrefix(name, "/assets/"):
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		if slices.Contains(parts, path.Ext(name)) {
			for _, of := range ofDocuments {
				w.Header().Del(of)
			}
		}
	case strings.HasPrefix(name, "/assets/"):
		http.Error(w, "there is no such file", http.StatusNotFound)
		return
	case found && name != "/.gitkeep" && name != "/index.html":
		w.Header().Set("Cache-Control", "no-cache")
	case !screens(name):
		http.Error(w, "there is nothing at this address; the way in is /", http.StatusNotFound)
		return
	default:
		p, found = all["/index.html"]
		w.Header().Set("Cache-Control", "no-store") // also not behind the Back button after signing out
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
	w.Header().Set("Content-Length", strconv.Itoa(len(body)))
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(body)
	}
}
