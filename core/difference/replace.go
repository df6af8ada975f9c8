package difference

import (
	"encoding/json"
	"fmt"
	"reflect"
)

// replace decodes data into a new value and puts it where into points.
func replace(into any, data []byte) error {
	target := reflect.ValueOf(into)
	if target.Kind() != reflect.Pointer || target.IsNil() {
		return fmt.Errorf("a document is changed through a pointer, not a %T", into)
	}
	fresh := reflect.New(target.Elem().Type())
	if err := json.Unmarshal(data, fresh.Interface()); err != nil {
		return err
	}
	target.Elem().Set(fresh.Elem())
	return nil
}
