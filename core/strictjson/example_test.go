package strictjson_test

import (
	"fmt"

	"mobanta/core/strictjson"
)

func ExampleDecode() {
	var light struct {
		Azimuth float64 `json:"azimuth"`
	}
	fmt.Println(strictjson.Decode([]byte("{\n \"azimut\": 30}"), &light))
	// Output: line 2, column 2: there is no member "azimut"
}
