"""Says of each JSON file whether a schema takes it: validate.py SCHEMA FILE... (a general-purpose validator)."""
import json
import sys

import jsonschema

schema = json.load(open(sys.argv[1]))
jsonschema.Draft7Validator.check_schema(schema)
for path in sys.argv[2:]:
    errors = sorted(jsonschema.Draft7Validator(schema).iter_errors(json.load(open(path))), key=str)
    print("valid" if not errors else "invalid: " + errors[0].message.replace("\n", " ")[:200])
