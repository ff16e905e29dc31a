package bundle_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"rubricon/bundle"
)

// asFiles are the files that a bundle was read from.
func asFiles(b *bundle.Bundle) []bundle.File {
	files := []bundle.File{{Name: "policy.json", Text: b.PolicyText}}
	for _, name := range bundle.Names() {
		if table := b.Tables[name]; table.Header != nil {
			f := bundle.File{Name: name, Header: table.Header}
			for _, r := range table.Rows {
				f.Rows = append(f.Rows, r.Cells)
			}
			files = append(files, f)
		}
	}
	return files
}

// book is a good bundle as a workbook, changed.
func book(t *testing.T, change func(*excelize.File)) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := bundle.WriteWorkbook(&out, asFiles(reads(t, whole()))); err != nil {
		t.Fatal(err)
	}
	x, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer x.Close()
	change(x)
	var changed bytes.Buffer
	if err := x.Write(&changed); err != nil {
		t.Fatal(err)
	}
	return changed.Bytes()
}

// cellAt is where a column of a row of a sheet is.
func cellAt(t *testing.T, x *excelize.File, sheet, column string, row int) string {
	t.Helper()
	rows, err := x.GetRows(sheet)
	if err != nil {
		t.Fatal(err)
	}
	for i, name := range rows[0] {
		if name == column {
			at, _ := excelize.CoordinatesToCellName(i+1, row)
			return at
		}
	}
	t.Fatalf("%s has no column %s", sheet, column)
	return ""
}

func problems(b *bundle.Bundle) (list []string) {
	for _, p := range b.Problems {
		list = append(list, p.String())
	}
	return list
}

// TestCellsAreReadByTypeAndFormat: what a person typed into a workbook is read as they meant it, whatever the workbook keeps it as.
func TestCellsAreReadByTypeAndFormat(t *testing.T) {
	for name, c := range map[string]struct {
		value any
		code  string // of the number format
		want  string
	}{
		"a text":              {"Crème", "", "Crème"},
		"a text of digits":    {"007", "", "007"},
		"a number":            {46629, "", "46629"},
		"a fraction":          {0.1 + 0.2, "", "0.3"},
		"many digits":         {123456789012345.0, "", "123456789012345"},
		"a date":              {time.Date(2027, 8, 30, 0, 0, 0, 0, time.UTC), "yyyy-mm-dd", "2027-08-30"},
		"a date in words":     {time.Date(2027, 8, 30, 0, 0, 0, 0, time.UTC), `d. mmmm yyyy;@`, "2027-08-30"},
		"a date with its day": {time.Date(2027, 8, 30, 0, 0, 0, 0, time.UTC), `[$-409]dddd, mmmm d, yyyy`, "2027-08-30"},
		"a date and time":     {time.Date(2027, 8, 30, 16, 5, 0, 0, time.UTC), "m/d/yy h:mm", "2027-08-30T16:05"},
		"a time":              {0.75, "h:mm AM/PM", "18:00"},
		"truth":               {true, "", "true"},
		"untruth":             {false, "", "false"},
		"a percentage":        {0.91, "0%", "91"},
		"a finer percentage":  {0.9125, "0.00%", "91.25"},
		"padded":              {42, "00000", "00042"},
		"money":               {12.5, `"$"#,##0.00`, "12.5"},
		"a colour with a d":   {3, `[Red]0.0`, "3"},
		"two lines":           {"one\ntwo", "", "one\ntwo"},
	} {
		b, err := bundle.OpenZip(book(t, func(x *excelize.File) {
			at := cellAt(t, x, "courses", "title", 2)
			if err := x.SetCellValue("courses", at, c.value); err != nil {
				t.Fatal(err)
			}
			if c.code != "" {
				style, err := x.NewStyle(&excelize.Style{CustomNumFmt: &c.code})
				if err != nil {
					t.Fatal(err)
				}
				if err := x.SetCellStyle("courses", at, at, style); err != nil {
					t.Fatal(err)
				}
			}
		}))
		if err != nil || len(b.Problems) > 0 {
			t.Errorf("%s: %v %v", name, err, problems(b))
			continue
		}
		if got := b.Courses[0].Title; got != c.want {
			t.Errorf("%s is read as %q, want %q", name, got, c.want)
		}
	}
}

// TestWorkbooksKeepTexts: what looks like an escaped character of the format, and what it cannot hold otherwise, comes back as it was.
func TestWorkbooksKeepTexts(t *testing.T) {
	const odd = "a_x0041_b\r\n =1+1 \t“é” 🙂"
	files := asFiles(reads(t, whole()))
	for i := range files {
		if files[i].Name == "courses.csv" {
			files[i].Rows[0][1] = odd
		}
	}
	var out bytes.Buffer
	if err := bundle.WriteWorkbook(&out, files); err != nil {
		t.Fatal(err)
	}
	b, err := bundle.OpenZip(out.Bytes())
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, problems(b))
	}
	if got := b.Courses[0].Title; got != strings.ReplaceAll(odd, "\r\n", "\n") {
		t.Errorf("%q", got)
	}
}

// TestSlipsAreNamedAtTheirOwnCells, once each, and not at every row that refers to what they made.
func TestSlipsAreNamedAtTheirOwnCells(t *testing.T) {
	for name, c := range map[string]struct {
		change func(x *excelize.File)
		want   string
	}{
		"a space behind": {func(x *excelize.File) {
			at := cellAt(t, x, "courses", "courseCode", 2)
			code, _ := x.GetCellValue("courses", at)
			_ = x.SetCellValue("courses", at, code+" ")
		}, "courses.csv:2: courseCode: “CR1 ” has a space before or after it; take it out"},
		"scientific notation": {func(x *excelize.File) {
			at, code := cellAt(t, x, "courses", "courseCode", 2), "0.00E+00"
			_ = x.SetCellValue("courses", at, 12e4)
			style, _ := x.NewStyle(&excelize.Style{CustomNumFmt: &code})
			_ = x.SetCellStyle("courses", at, at, style)
		}, "courses.csv:2: courseCode: is a number in scientific notation; format the cell as text, and type it again"},
		"lost digits": {func(x *excelize.File) {
			_ = x.SetCellValue("users", cellAt(t, x, "users", "sourcedId", 2), 1234567890123456789.0)
		}, "users.csv:2: sourcedId: is a number in scientific notation; format the cell as text, and type it again"},
		"a missing column": {func(x *excelize.File) {
			_ = x.SetCellValue("users", cellAt(t, x, "users", "familyName", 1), "surname")
		}, "users.csv: column familyName is missing"},
		"behind a text of two lines": {func(x *excelize.File) {
			_ = x.SetCellValue("courses", cellAt(t, x, "courses", "title", 2), "one\ntwo\nthree")
			_ = x.SetCellValue("courses", cellAt(t, x, "courses", "metadata.credits", 3), "much")
		}, "courses.csv:3: metadata.credits: "},
		"behind empty rows": {func(x *excelize.File) {
			_ = x.InsertRows("courses", 2, 3)
			_ = x.SetCellValue("courses", cellAt(t, x, "courses", "metadata.credits", 6), "much")
		}, "courses.csv:6: metadata.credits: "},
	} {
		b, err := bundle.OpenZip(book(t, c.change))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if got := problems(b); len(got) != 1 || !strings.HasPrefix(got[0], c.want) {
			t.Errorf("%s: %q, want %q alone", name, got, c.want)
		}
	}
}

// parts is a workbook of one sheet, written part by part.
func parts(t *testing.T, sheet string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, text := range map[string]string{
		"xl/workbook.xml":            `<workbook xmlns:r="r"><sheets><sheet name="courses" sheetId="1" r:id="a"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="a" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml":   sheet,
	} {
		part, err := w.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = part.Write([]byte(text))
	}
	_ = w.Close()
	return out.Bytes()
}

// TestASmallWorkbookTakesLittleMemory: cells far out, rows far down and wide rows are refused before memory is taken for what is between.
func TestASmallWorkbookTakesLittleMemory(t *testing.T) {
	var far, wide strings.Builder
	for row := range 3000 {
		fmt.Fprintf(&far, `<row r="%d"><c r="XFD%[1]d" t="inlineStr"><is><t>x</t></is></c></row>`, row+1)
	}
	wide.WriteString(`<row r="1">` + strings.Repeat(`<c t="inlineStr"><is><t>x</t></is></c>`, 200_000) + `</row>`)
	for name, text := range map[string][]byte{
		"far columns": parts(t, `<worksheet><sheetData>`+far.String()+`</sheetData></worksheet>`),
		"a wide row":  parts(t, `<worksheet><sheetData>`+wide.String()+`</sheetData></worksheet>`),
		"far rows":    parts(t, `<worksheet><sheetData><row r="1048576"><c t="inlineStr"><is><t>x</t></is></c></row></sheetData></worksheet>`),
		"no sheet":    parts(t, `<worksheet><sheetData><row r="9999999"/></sheetData></worksheet>`),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, _ = bundle.OpenZip(text)
		runtime.ReadMemStats(&after)
		if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 200 {
			t.Errorf("%s: %d kB take %d MB", name, len(text)>>10, took)
		}
	}
}

// TestAWideFileTakesLittleMemory: a row of separators alone takes many times its text; it is refused before it is read.
func TestAWideFileTakesLittleMemory(t *testing.T) {
	files := asFiles(reads(t, whole()))
	for i := range files {
		if files[i].Name == "users.csv" {
			files[i] = bundle.File{Name: "users.csv", Text: []byte("sourcedId" + strings.Repeat(",", 20<<20) + "\n")}
		}
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	b, err := bundle.ReadFiles(files)
	runtime.ReadMemStats(&after)
	if err != nil || len(b.Problems) != 1 || b.Problems[0].String() != "users.csv: row 1 has more than 2000 cells; nothing of the file was read" {
		t.Fatalf("%v, %v", problems(b), err)
	}
	if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 100 {
		t.Errorf("20 MB take %d MB", took)
	}
}

// TestWhatAZipSaysOfItselfIsNotBelieved: a file that claims to be large takes memory for what is there.
func TestWhatAZipSaysOfItselfIsNotBelieved(t *testing.T) {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range asFiles(reads(t, whole())) {
		text, err := f.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		part, err := w.CreateRaw(&zip.FileHeader{Name: f.Name, Method: zip.Store, CompressedSize64: uint64(len(text)), UncompressedSize64: 250 << 20})
		if err != nil {
			t.Fatal(err)
		}
		_, _ = part.Write(text)
	}
	_ = w.Close()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, _ = bundle.OpenZip(out.Bytes())
	runtime.ReadMemStats(&after)
	if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 150 {
		t.Errorf("%d kB take %d MB", out.Len()>>10, took)
	}
}

func FuzzSheet(f *testing.F) {
	f.Add(`<row r="1"><c t="inlineStr"><is><t>sourcedId</t></is></c><c r="C1" t="s"><v>0</v></c></row><row r="3"><c s="1"><v>46629</v></c><c t="b"><v>1</v></c><c t="e"><v>#N/A</v></c></row>`)
	f.Add(`<row><c r="B1" t="d"><v>2027-08-30T00:00:00</v></c><c><v>1E300</v></c></row>`)
	f.Fuzz(func(t *testing.T, rows string) {
		b, err := bundle.OpenZip(parts(t, `<worksheet><sheetData>`+rows+`</sheetData></worksheet>`))
		if err == nil && len(b.Problems) == 0 {
			t.Fatal("a workbook without rules is taken")
		}
	})
}
