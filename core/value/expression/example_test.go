package expression_test

import (
	"fmt"

	"lastblock/core/value/expression"
)

func ExampleParse() {
	e, err := expression.Parse(`round(amount * rate, 2)`)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(e.Columns)
	form := e.Form([]expression.Form{expression.Sent, expression.Sent})
	result, err := e.Eval(&expression.Record{Texts: [][]byte{[]byte("1.234,50"), []byte("0,1")}, Decimal: ','}, form)
	fmt.Println(form.Kind, string(result.Append(nil)), err)
	_, err = e.Eval(&expression.Record{Texts: [][]byte{[]byte("n/a"), []byte("0,1")}, Decimal: ','}, form)
	fmt.Println(err)
	// Output:
	// [amount rate]
	// amount 123.45 <nil>
	// "n/a" in column "amount" is not an amount
}

func ExampleExpression_Holds() {
	e, err := expression.Parse(`account == "00417" && posted >= date("2031-02-01")`)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, posted := range []string{"2031-01-31", "28.02.2031"} {
		holds, err := e.Holds(&expression.Record{Texts: [][]byte{[]byte("00417"), []byte(posted)}, Decimal: '.'})
		fmt.Println(posted, holds, err)
	}
	_, err = expression.Parse(`account = "00417"`)
	fmt.Println(err)
	// Output:
	// 2031-01-31 false <nil>
	// 28.02.2031 true <nil>
	// character 9 of "account = \"00417\"": this is no sign that an expression has
	//   account = "00417"
	//           ^
}
