// Command release builds what is shipped: the program, a Debian package, the licences of
// all that is in it, a list of its parts, and sums. The same sources give the same bytes,
// whatever the folder and the hour.
package main

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"debug/buildinfo"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"time"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/google/licensecheck"
	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb"
)

func main() {
	root := flag.String("root", ".", "the sources")
	out := flag.String("out", "dist", "where to")
	commit := flag.String("commit", "unknown", "of which the sources are")
	flag.Parse()
	if err := release(*root, *out, *commit); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

// shipped are the packages whose files stand in the built styles and scripts, with the
// file of their licence under packaging/licences.
var shipped = map[string]string{
	"htmx.org": "htmx.org.txt", "@alpinejs/csp": "alpinejs.txt", "tailwindcss": "tailwindcss.txt",
	"@fontsource-variable/atkinson-hyperlegible-next": "atkinson-hyperlegible-next.txt", "@fontsource-variable/bitter": "bitter.txt",
}

// allowed are the licences under which what is shipped may be passed on with this.
var allowed = []string{"Apache-2.0", "BSD-2-Clause", "BSD-3-Clause", "MIT", "ISC", "0BSD", "OFL-1.1", "MPL-2.0", "BSD-0-Clause"}

type part struct {
	Name, Version, Sum, URL string
	Licences                []string
	Text                    string
}

func release(root, out, commit string) error {
	version, made, err := newest(filepath.Join(root, "CHANGELOG.md"))
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	binary := filepath.Join(out, "unionknot")
	build := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-o", mustAbs(binary),
		"-ldflags", "-s -w -buildid= -X main.version="+version+" -X main.commit="+commit, "./cmd/unionknot")
	build.Dir, build.Stderr = root, os.Stderr
	build.Env = append(os.Environ(), "CGO_ENABLED=0", "GOFLAGS=-mod=readonly", "GOAMD64=v1", "GOTOOLCHAIN=local")
	if err := build.Run(); err != nil {
		return fmt.Errorf("building: %w", err)
	}
	parts, err := modules(root, binary)
	if err != nil {
		return err
	}
	npm, err := packages(root)
	if err != nil {
		return err
	}
	if err := licences(filepath.Join(out, "LICENSES.txt"), root, append(slices.Clone(parts), npm...)); err != nil {
		return err
	}
	if err := sbom(filepath.Join(out, "sbom.json"), version, made, parts, npm); err != nil {
		return err
	}
	name, err := pack(root, out, version, made)
	if err != nil {
		return err
	}
	return sums(out, "unionknot", name, "LICENSES.txt", "sbom.json")
}

func mustAbs(path string) string {
	a, err := filepath.Abs(path)
	if err != nil {
		panic(err)
	}
	return a
}

// newest reads the version and its day from the head of the list of changes.
func newest(path string) (version string, made time.Time, err error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return "", made, err
	}
	m := regexp.MustCompile(`(?m)^## (\d+\.\d+\.\d+), (\d{4}-\d\d-\d\d)$`).FindSubmatch(b)
	if m == nil {
		return "", made, fmt.Errorf("%s has no heading such as ## 0.15.0, 2026-11-26", path)
	}
	made, err = time.Parse(time.DateOnly, string(m[2]))
	return string(m[1]), made, err
}

// modules lists what is linked into the program, with its licences.
func modules(root, binary string) ([]part, error) {
	info, err := buildinfo.ReadFile(binary)
	if err != nil {
		return nil, err
	}
	list := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{.Path}}\t{{.Dir}}{{end}}", "./cmd/unionknot")
	list.Dir, list.Stderr = root, os.Stderr
	list.Env = append(os.Environ(), "CGO_ENABLED=0")
	b, err := list.Output()
	if err != nil {
		return nil, fmt.Errorf("listing modules: %w", err)
	}
	dirs := map[string]string{}
	for s := bufio.NewScanner(bytes.NewReader(b)); s.Scan(); {
		if path, dir, ok := strings.Cut(s.Text(), "\t"); ok {
			dirs[path] = dir
		}
	}
	goroot, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	text, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(goroot)), "LICENSE"))
	if err != nil {
		return nil, err
	}
	std := part{Name: "Go standard library", Version: strings.TrimPrefix(info.GoVersion, "go"), URL: "pkg:golang/std@" + info.GoVersion,
		Text: string(text)}
	if err := std.license(); err != nil {
		return nil, err
	}
	out := []part{std}
	for _, m := range info.Deps {
		p := part{Name: m.Path, Version: m.Version, Sum: m.Sum, URL: "pkg:golang/" + m.Path + "@" + m.Version}
		if p.Text, err = textIn(dirs[m.Path]); err != nil {
			return nil, fmt.Errorf("%s: %w", m.Path, err)
		}
		if err := p.license(); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

// textIn gives the licence of a folder, with its notices.
func textIn(dir string) (string, error) {
	files, err := os.ReadDir(dir)
	if err != nil {
		return "", err
	}
	var out strings.Builder
	for _, f := range files {
		n := strings.ToUpper(f.Name())
		if f.IsDir() || !strings.HasPrefix(n, "LICEN") && !strings.HasPrefix(n, "COPYING") && !strings.HasPrefix(n, "NOTICE") {
			continue
		}
		b, err := os.ReadFile(filepath.Join(dir, f.Name()))
		if err != nil {
			return "", err
		}
		out.Write(bytes.TrimSpace(b))
		out.WriteString("\n\n")
	}
	if out.Len() == 0 {
		return "", errors.New("there is no licence")
	}
	return out.String(), nil
}

// license names the licences of a part: each must be known and allowed.
func (p *part) license() error {
	for _, m := range licensecheck.Scan([]byte(p.Text)).Match {
		if !m.IsURL && !slices.Contains(p.Licences, m.ID) {
			p.Licences = append(p.Licences, m.ID)
		}
	}
	slices.Sort(p.Licences)
	if len(p.Licences) == 0 {
		return fmt.Errorf("%s: its licence is not known", p.Name)
	}
	for _, l := range p.Licences {
		if !slices.Contains(allowed, l) {
			return fmt.Errorf("%s: %s is not among the licences that this may be passed on with", p.Name, l)
		}
	}
	return nil
}

func packages(root string) ([]part, error) {
	b, err := os.ReadFile(filepath.Join(root, "package-lock.json"))
	if err != nil {
		return nil, err
	}
	var lock struct {
		Packages map[string]struct{ Version, Integrity string }
	}
	if err := json.Unmarshal(b, &lock); err != nil {
		return nil, err
	}
	var out []part
	for name, file := range shipped {
		x, ok := lock.Packages["node_modules/"+name]
		if !ok {
			return nil, fmt.Errorf("%s is not in package-lock.json", name)
		}
		text, err := os.ReadFile(filepath.Join(root, "packaging", "licences", file))
		if err != nil {
			return nil, err
		}
		p := part{Name: name, Version: x.Version, Sum: x.Integrity, URL: "pkg:npm/" + strings.ReplaceAll(name, "@", "%40") + "@" +
			x.Version, Text: string(text)}
		if err := p.license(); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	text, err := os.ReadFile(filepath.Join(root, "packaging", "licences", "droid-sans-fallback.txt"))
	if err != nil {
		return nil, err
	}
	font := part{Name: "Droid Sans Fallback", Version: "6.0.1", URL: "pkg:deb/debian/fonts-droid-fallback@6.0.1r16", Text: string(text)}
	if err := font.license(); err != nil {
		return nil, err
	}
	out = append(out, font)
	slices.SortFunc(out, func(a, b part) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}

func licences(path, root string, parts []part) error {
	own, err := os.ReadFile(filepath.Join(root, "LICENSE"))
	if err != nil {
		return err
	}
	var b strings.Builder
	rule := strings.Repeat("=", 78) + "\n"
	b.WriteString("Union Knot: Apache-2.0\n" + rule + string(own))
	for _, p := range parts {
		fmt.Fprintf(&b, "\n%s%s %s: %s\n%s%s", rule, p.Name, p.Version, strings.Join(p.Licences, ", "), rule,
			strings.TrimSpace(p.Text)+"\n")
	}
	return os.WriteFile(path, []byte(b.String()), 0o644)
}

func sbom(path, version string, made time.Time, parts, npm []part) error {
	doc := cdx.NewBOM()
	doc.SerialNumber = ""
	doc.Metadata = &cdx.Metadata{Timestamp: made.UTC().Format(time.RFC3339), Component: &cdx.Component{
		BOMRef: "unionknot", Type: cdx.ComponentTypeApplication, Name: "unionknot", Version: version,
		Licenses: &cdx.Licenses{{License: &cdx.License{ID: "Apache-2.0"}}}}}
	var cs []cdx.Component
	var refs []string
	for _, p := range append(slices.Clone(parts), npm...) {
		c := cdx.Component{BOMRef: p.URL, Type: cdx.ComponentTypeLibrary, Name: p.Name, Version: p.Version, PackageURL: p.URL,
			Licenses: &cdx.Licenses{}}
		for _, l := range p.Licences {
			*c.Licenses = append(*c.Licenses, cdx.LicenseChoice{License: &cdx.License{ID: l}})
		}
		if p.Sum != "" {
			c.Properties = &[]cdx.Property{{Name: "sum", Value: p.Sum}}
		}
		cs, refs = append(cs, c), append(refs, p.URL)
	}
	doc.Components = &cs
	doc.Dependencies = &[]cdx.Dependency{{Ref: "unionknot", Dependencies: &refs}}
	var b bytes.Buffer
	if err := cdx.NewBOMEncoder(&b, cdx.BOMFileFormatJSON).SetPretty(true).Encode(doc); err != nil {
		return err
	}
	return os.WriteFile(path, b.Bytes(), 0o644)
}

// pack makes the Debian package and gives its name.
func pack(root, out, version string, made time.Time) (string, error) {
	values := map[string]string{"VERSION": version, "ARCH": runtime.GOARCH, "ROOT": root, "DIST": out}
	config, err := nfpm.ParseFileWithEnvMapping(filepath.Join(root, "packaging", "nfpm.yaml"), func(k string) string { return values[k] })
	if err != nil {
		return "", err
	}
	info := nfpm.WithDefaults(&config.Info)
	info.MTime = made
	for _, script := range []*string{&info.Scripts.PostInstall, &info.Scripts.PreRemove, &info.Scripts.PostRemove} {
		*script = os.Expand(*script, func(k string) string { return values[k] })
	}
	for _, c := range info.Contents {
		if c.FileInfo != nil {
			c.FileInfo.MTime = made
		}
	}
	p, err := nfpm.Get("deb")
	if err != nil {
		return "", err
	}
	name := p.ConventionalFileName(info)
	f, err := os.Create(filepath.Join(out, name))
	if err != nil {
		return "", err
	}
	if err := p.Package(info, f); err != nil {
		return "", errors.Join(err, f.Close())
	}
	return name, f.Close()
}

func sums(out string, names ...string) error {
	var b strings.Builder
	slices.Sort(names)
	for _, n := range names {
		f, err := os.Open(filepath.Join(out, n))
		if err != nil {
			return err
		}
		h := sha256.New()
		_, err = io.Copy(h, f)
		f.Close()
		if err != nil {
			return err
		}
		fmt.Fprintf(&b, "%s  %s\n", hex.EncodeToString(h.Sum(nil)), n)
	}
	fmt.Print(b.String())
	return os.WriteFile(filepath.Join(out, "SHA256SUMS"), []byte(b.String()), 0o644)
}
