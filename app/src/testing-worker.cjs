// what the address of a worker is in unit tests, which start none
module.exports = '';
