#!/usr/bin/env python3
"""Checks documents against docs/schema. Usage: validate.py SCHEMA_FOLDER DOCUMENT..."""
import json
import os
import sys

import jsonschema

for path in sys.argv[2:]:
    with open(path) as f:
        document = json.load(f)
    kind = document['format'].split('/')[1]
    with open(os.path.join(sys.argv[1], kind + '.schema.json')) as f:
        schema = json.load(f)
    jsonschema.Draft7Validator.check_schema(schema)
    jsonschema.validate(document, schema)
print(len(sys.argv) - 2, 'documents valid')
