package vec

import (
	"encoding/json"
	"errors"
)

// UnmarshalJSON reads exactly three numbers.
func (a *V) UnmarshalJSON(data []byte) error {
	var list []*float32
	if err := json.Unmarshal(data, &list); err != nil {
		return err
	}
	if len(list) != 3 || list[0] == nil || list[1] == nil || list[2] == nil {
		return errors.New("it must be three numbers")
	}
	*a = V{*list[0], *list[1], *list[2]}
	return nil
}
