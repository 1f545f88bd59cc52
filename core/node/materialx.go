package node

// MaterialX is one node being written as nodes of MaterialX.
type MaterialX struct{}
