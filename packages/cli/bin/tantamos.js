#!/usr/bin/env node
require('../dist/program/tantamos.cjs');
