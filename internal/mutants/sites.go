package main

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// A mutation is one small fault: at a place of a file some bytes are others.
type mutation struct {
	ID      string // stays while the function, the kind and their order do
	Package string // as ./core/geom
	File    string
	Line    int
	Kind    string
	Old     string
	New     string
	from    int // bytes of the file that are replaced
	to      int
}

func (m mutation) String() string {
	return fmt.Sprintf("%s:%d %s: %s becomes %s", m.File, m.Line, m.Kind, m.Old, cmp.Or(m.New, "nothing"))
}

// applied is the file with the fault in it.
func (m mutation) applied(src []byte) []byte {
	return slices.Concat(src[:m.from], []byte(m.New), src[m.to:])
}

// swaps are operators that are mistaken for each other.
var swaps = map[token.Token]token.Token{
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL,
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD_ASSIGN: token.SUB_ASSIGN, token.SUB_ASSIGN: token.ADD_ASSIGN, token.INC: token.DEC, token.DEC: token.INC,
	token.SHL: token.SHR, token.SHR: token.SHL,
}

// kinds names the faults by the operator.
var kinds = map[token.Token]string{
	token.ADD: "sign", token.SUB: "sign", token.ADD_ASSIGN: "sign", token.SUB_ASSIGN: "sign", token.INC: "sign", token.DEC: "sign",
	token.MUL: "factor", token.QUO: "factor", token.SHL: "factor", token.SHR: "factor",
	token.LSS: "bound", token.LEQ: "bound", token.GTR: "bound", token.GEQ: "bound",
	token.EQL: "comparison", token.NEQ: "comparison", token.LAND: "condition", token.LOR: "condition",
}

// sites finds the mutations of one file.
func sites(root, file string) ([]mutation, error) {
	src, err := os.ReadFile(filepath.Join(root, file))
	if err != nil {
		return nil, err
	}
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, file, src, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	if ast.IsGenerated(f) {
		return nil, nil
	}
	var ms []mutation
	for _, d := range f.Decls {
		fn, ok := d.(*ast.FuncDecl)
		if !ok || fn.Body == nil || fn.Name.Name == "String" || fn.Name.Name == "Error" {
			continue
		}
		order := map[string]int{}
		add := func(kind string, pos, end token.Pos, with string) {
			p := set.Position(pos)
			m := mutation{Package: "./" + filepath.Dir(file), File: file, Line: p.Line, Kind: kind, from: p.Offset, to: set.Position(end).Offset, New: with}
			m.Old = string(src[m.from:m.to])
			key := kind + m.Old
			order[key]++
			h := sha256.Sum256(fmt.Appendf(nil, "%s %s %s %s %d", file, receiver(fn), fn.Name.Name, key, order[key]))
			m.ID = hex.EncodeToString(h[:6])
			ms = append(ms, m)
		}
		ast.Inspect(fn.Body, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BinaryExpr:
				if isText(n.X) || isText(n.Y) {
					break // words are no sums
				}
				if with, ok := swaps[n.Op]; ok {
					add(kinds[n.Op], n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), with.String())
				}
			case *ast.AssignStmt:
				if with, ok := swaps[n.Tok]; ok && !isText(n.Rhs[0]) {
					add(kinds[n.Tok], n.TokPos, n.TokPos+2, with.String())
				}
			case *ast.IncDecStmt:
				add(kinds[n.Tok], n.TokPos, n.TokPos+2, swaps[n.Tok].String())
			case *ast.UnaryExpr:
				if n.Op == token.SUB || n.Op == token.NOT {
					add("sign", n.OpPos, n.OpPos+1, "")
				}
			case *ast.IfStmt:
				if leaves(n.Body) && n.Else == nil {
					add("dropped check", n.Cond.Pos(), n.Cond.End(), "false && ("+string(src[set.Position(n.Cond.Pos()).Offset:set.Position(n.Cond.End()).Offset])+")")
				}
			case *ast.CallExpr:
				if id, ok := n.Fun.(*ast.Ident); ok && len(n.Args) > 1 && (id.Name == "min" || id.Name == "max") {
					add("bound", id.Pos(), id.End(), map[string]string{"min": "max", "max": "min"}[id.Name])
				}
			case *ast.BasicLit:
				if v, err := strconv.Atoi(n.Value); n.Kind == token.INT && err == nil && v < 1000 {
					add("off by one", n.Pos(), n.End(), strconv.Itoa(v+1))
				}
			case *ast.Ident:
				if n.Name == "true" || n.Name == "false" {
					add("condition", n.Pos(), n.End(), map[string]string{"true": "false", "false": "true"}[n.Name])
				}
			}
			return true
		})
	}
	return ms, nil
}

func receiver(fn *ast.FuncDecl) string {
	if fn.Recv == nil {
		return ""
	}
	var b bytes.Buffer
	ast.Inspect(fn.Recv, func(n ast.Node) bool {
		if id, ok := n.(*ast.Ident); ok {
			b.WriteString(id.Name + " ")
		}
		return true
	})
	return b.String()
}

func isText(x ast.Expr) bool {
	if b, ok := x.(*ast.BinaryExpr); ok {
		return isText(b.X) || isText(b.Y)
	}
	l, ok := x.(*ast.BasicLit)
	return ok && l.Kind == token.STRING
}

// leaves reports whether a block is left at its end: then what asks for it is a check.
func leaves(b *ast.BlockStmt) bool {
	if len(b.List) == 0 {
		return false
	}
	switch s := b.List[len(b.List)-1].(type) {
	case *ast.ReturnStmt:
		return true
	case *ast.BranchStmt:
		return s.Tok == token.CONTINUE || s.Tok == token.BREAK
	}
	return false
}

// drawn are all mutations of the parts of the tree, in the order of a lot that
// depends on the seed and on each mutation alone: what is drawn stays nearly the same
// while the code changes. No kind of fault may be more than a quarter of any prefix
// by much, so that sums do not crowd out checks.
func drawn(root, seed string, parts []string) ([]mutation, error) {
	byKind := map[string][]mutation{}
	for _, part := range parts {
		err := filepath.WalkDir(filepath.Join(root, part), func(p string, d fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			if d.IsDir() && (d.Name() == "testdata" || d.Name() == "mutants" || d.Name() == "testkit") {
				return filepath.SkipDir // what serves tests alone is no product
			}
			if !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go") {
				return nil
			}
			file, err := filepath.Rel(root, p)
			if err != nil {
				return err
			}
			ms, err := sites(root, file)
			for _, m := range ms {
				byKind[m.Kind] = append(byKind[m.Kind], m)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	lot := func(m mutation) string {
		h := sha256.Sum256([]byte(seed + m.ID))
		return string(h[:])
	}
	var names []string
	for k, ms := range byKind {
		slices.SortFunc(ms, func(a, b mutation) int { return strings.Compare(lot(a), lot(b)) })
		names = append(names, k)
	}
	slices.Sort(names)
	var all []mutation
	for i := 0; ; i++ {
		n := len(all)
		for _, k := range names {
			if i < len(byKind[k]) {
				all = append(all, byKind[k][i])
			}
		}
		if len(all) == n {
			return all, nil
		}
	}
}
