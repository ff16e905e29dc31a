package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// File is a file of a bundle to be written: CSV where Header is given, else Text.
type File struct {
	Name   string
	Header []string
	Rows   [][]string
	Text   []byte
}

// Bytes is the file's content: RFC 4180 with LF line ends.
func (f *File) Bytes() ([]byte, error) {
	if f.Header == nil {
		return f.Text, nil
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	if err := w.Write(f.Header); err != nil {
		return nil, err
	}
	if err := w.WriteAll(f.Rows); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// ForPeople is the file as people open it in a spreadsheet: text that a spreadsheet would take for a formula
// has an apostrophe before it. In the files of a bundle text stays as it is, since other programs read them.
func (f File) ForPeople() File {
	rows := make([][]string, len(f.Rows))
	for i, row := range f.Rows {
		rows[i] = make([]string, len(row))
		for k, cell := range row {
			rows[i][k] = cell
			if cell == "" || !strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				continue
			}
			if _, err := strconv.ParseFloat(cell, 64); err != nil {
				rows[i][k] = "'" + cell
			}
		}
	}
	f.Rows = rows
	return f
}

// Write writes a bundle into a folder, which is made where it is missing, with a manifest. Files of a bundle
// that are there and are not written now are taken away, so that the folder is the bundle.
func Write(dir string, files []File) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("writing the bundle: %w", err)
	}
	files, present := withManifest(files)
	for i := range files {
		text, err := files[i].Bytes()
		if err != nil {
			return fmt.Errorf("writing %s: %w", files[i].Name, err)
		}
		if err := WriteFile(filepath.Join(dir, files[i].Name), text); err != nil {
			return fmt.Errorf("writing the bundle: %w", err)
		}
	}
	for i := range specs {
		if !present[specs[i].name] {
			if err := os.Remove(filepath.Join(dir, specs[i].name)); err != nil && !os.IsNotExist(err) {
				return fmt.Errorf("writing the bundle: %w", err)
			}
		}
	}
	return nil
}

// WriteZip writes a bundle as a zip file, with a manifest.
func WriteZip(to io.Writer, files []File) error {
	out := zip.NewWriter(to)
	files, _ = withManifest(files)
	for i := range files {
		text, err := files[i].Bytes()
		if err != nil {
			return fmt.Errorf("writing %s: %w", files[i].Name, err)
		}
		file, err := out.Create(files[i].Name)
		if err != nil {
			return fmt.Errorf("writing the bundle: %w", err)
		}
		if _, err := file.Write(text); err != nil {
			return fmt.Errorf("writing the bundle: %w", err)
		}
	}
	return out.Close()
}

func withManifest(files []File) (all []File, present map[string]bool) {
	present = map[string]bool{}
	for i := range files {
		present[files[i].Name] = true
	}
	return append(files, manifest(present)), present
}

// WriteFile writes a file that only its owner may read, also where there was another: pupils' data is in it.
func WriteFile(name string, text []byte) error {
	if err := os.Remove(name); err != nil && !os.IsNotExist(err) {
		return err
	}
	return os.WriteFile(name, text, 0o600)
}

// manifest is manifest.csv as OneRoster 1.1 has it: which files are there, each in bulk.
func manifest(present map[string]bool) File {
	rows := [][]string{{"manifest.version", "1.0"}, {"oneroster.version", "1.1"}}
	for _, name := range []string{"academicSessions", "categories", "classes", "classResources", "courses", "courseResources", "demographics",
		"enrollments", "lineItems", "orgs", "resources", "results", "users"} {
		mode := "absent"
		if present[name+".csv"] {
			mode = "bulk"
		}
		rows = append(rows, []string{"file." + name, mode})
	}
	return File{Name: "manifest.csv", Header: []string{"propertyName", "value"}, Rows: append(rows,
		[]string{"source.systemName", "Rubricon"}, []string{"source.systemCode", "rubricon"})}
}

// Columns lists the columns of a file of a bundle, required ones first; nil for a file that is not one.
func Columns(name string) []string {
	s := spec(name)
	if s == nil {
		return nil
	}
	return append(append([]string(nil), s.required...), s.optional...)
}

// Required is how many of a file's columns are required; they are the first of Columns.
func Required(name string) int {
	if s := spec(name); s != nil {
		return len(s.required)
	}
	return 0
}

// Names lists the CSV files of a bundle.
func Names() []string {
	names := make([]string, len(specs))
	for i := range specs {
		names[i] = specs[i].name
	}
	return names
}
