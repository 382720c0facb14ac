package arch

import (
	"go/ast"
	"go/parser"
	"go/token"
	"testing"
)

// What a handler of the router is given is used anew for the next request as soon as it
// returns: it goes to nobody as a context. The request's own context does.
func TestTheRoutersContextGoesNoFurther(t *testing.T) {
	set := token.NewFileSet()
	pkgs, err := parser.ParseDir(set, "../api", nil, 0) //nolint:staticcheck // syntax is enough
	if err != nil {
		t.Fatal(err)
	}
	isRouters := func(e ast.Expr) bool {
		star, ok := e.(*ast.StarExpr)
		if !ok {
			return false
		}
		sel, ok := star.X.(*ast.SelectorExpr)
		return ok && sel.Sel.Name == "Context" && sel.X.(*ast.Ident).Name == "gin"
	}
	takes := map[string]bool{} // functions of the package whose first parameter it is
	seen := 0
	each := func(f func(ast.Node) bool) {
		for _, file := range pkgs["api"].Files {
			ast.Inspect(file, f)
		}
	}
	each(func(n ast.Node) bool {
		if d, ok := n.(*ast.FuncDecl); ok && len(d.Type.Params.List) > 0 && isRouters(d.Type.Params.List[0].Type) {
			takes[d.Name.Name] = true
		}
		if a, ok := n.(*ast.AssignStmt); ok && len(a.Rhs) == 1 {
			if l, ok := a.Rhs[0].(*ast.FuncLit); ok && len(l.Type.Params.List) > 0 && isRouters(l.Type.Params.List[0].Type) {
				takes[a.Lhs[0].(*ast.Ident).Name] = true
			}
		}
		return true
	})
	check := func(params *ast.FieldList, body *ast.BlockStmt) {
		own := ""
		for _, p := range params.List {
			if isRouters(p.Type) && len(p.Names) > 0 {
				own = p.Names[0].Name
			}
		}
		if own == "" || body == nil {
			return
		}
		seen++
		ast.Inspect(body, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			for _, a := range call.Args {
				id, ok := a.(*ast.Ident)
				if !ok || id.Name != own {
					continue
				}
				name := ""
				switch f := call.Fun.(type) {
				case *ast.Ident:
					name = f.Name
				case *ast.SelectorExpr:
					if x, ok := f.X.(*ast.Ident); ok && x.Name == "s" {
						name = f.Sel.Name
					}
				}
				if !takes[name] {
					t.Errorf("%s: the router's context is given away; give the request's", set.Position(call.Pos()))
				}
			}
			return true
		})
	}
	each(func(n ast.Node) bool {
		switch f := n.(type) {
		case *ast.FuncDecl:
			check(f.Type.Params, f.Body)
		case *ast.FuncLit:
			check(f.Type.Params, f.Body)
		}
		return true
	})
	if seen < 20 {
		t.Errorf("%d handlers were seen", seen)
	}
}
