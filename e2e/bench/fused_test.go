package main
import "testing"
func TestFused(t *testing.T){ c,err:=networkAgainstFused(); if err!=nil{t.Fatal(err)}; t.Logf("%.2f %v",c.ratio,c) }
