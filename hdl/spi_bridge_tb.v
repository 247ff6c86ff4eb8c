// SPDX-License-Identifier: GPL-3.0-or-later
//
// The bridge against a small flash, bit by bit: the frames of the contract's last table and the states that they lead
// to. Prints "ok" and the number of checks, or what was wrong.

`timescale 1ns / 1ps

module spi_bridge_tb;
  reg tck = 0, tdi = 0, select = 1, shift = 0;
  wire tdo, cs_n, sck, mosi;
  reg miso = 1;
  spi_bridge bridge (
      .tck(tck), .tdi(tdi), .select(select), .shift(shift), .tdo(tdo),
      .spi_cs_n(cs_n), .spi_sck(sck), .spi_mosi(mosi), .spi_miso(miso)
  );

  integer checks = 0, failures = 0;
  task expect_that(input good, input [40*8-1:0] what);
    begin
      checks = checks + 1;
      if (good !== 1'b1) begin
        failures = failures + 1;
        $display("%0t: %0s", $time, what);
      end
    end
  endtask

  // A flash that answers 05 with its status and 9F with three bytes, and remembers what it was told.
  reg [7:0] status = 8'h00, command = 0, last_command = 0;
  reg [31:0] got = 0;
  integer got_bits = 0, commands = 0, pulses = 0;
  wire [23:0] id = 24'h7E4017;
  always @(negedge cs_n) begin
    got_bits = 0;
    miso = 1;
    expect_that(tck === 1'b0, "chip select falls while TCK is high");
  end
  always @(posedge cs_n) begin
    if (got_bits > 0) begin
      commands = commands + 1;
      last_command = command;
      expect_that(got_bits % 8 == 0 || !shift, "chip select rises inside a byte");
    end
    expect_that(tck === 1'b0, "chip select rises while TCK is high");
  end
  always @(posedge sck) begin
    pulses = pulses + 1;
    expect_that(cs_n === 1'b0, "SCK without chip select");
    if (got_bits < 8) command = {command[6:0], mosi};
    got = {got[30:0], mosi};
    got_bits = got_bits + 1;
  end
  always @(negedge sck) begin
    if (got_bits >= 8) begin
      case (command)
        8'h05: miso = status[7 - (got_bits % 8)];
        8'h9F: miso = got_bits < 32 ? id[31 - got_bits] : 1'b0;
        default: miso = 1;
      endcase
    end
  end

  // Clocks. The answer to a bit is on TDO at the next clock.
  reg [255:0] answer = 0;
  integer clocks = 0;
  task clock(input value, input shifting);
    begin
      tdi = value;
      shift = shifting;
      #50 answer = {answer[254:0], tdo};
      tck = 1;
      #50 tck = 0;
      #1 clocks = clocks + 1;
    end
  endtask
  // The last bit of a scan: the primitive's shift may end in its high phase already.
  task last_clock(input value);
    begin
      tdi = value;
      shift = 1;
      #50 answer = {answer[254:0], tdo};
      tck = 1;
      #20 shift = 0;
      #30 tck = 0;
      #1 clocks = clocks + 1;
    end
  endtask
  task low_first(input [7:0] value);
    integer i;
    for (i = 0; i < 8; i = i + 1) clock(value[i], 1);
  endtask
  task high_first(input [7:0] value);
    integer i;
    for (i = 7; i >= 0; i = i - 1) clock(value[i], 1);
  endtask
  // CRC-8 over the 24 bits behind sync, bytes most significant bit first.
  function [7:0] crc_of(input [23:0] bytes);
    integer i;
    begin
      crc_of = 0;
      for (i = 23; i >= 0; i = i - 1) crc_of = {crc_of[6:0], 1'b0} ^ (crc_of[7] ^ bytes[i] ? 8'h07 : 8'h00);
    end
  endfunction
  task damaged_header(input [7:0] opcode, input [15:0] length, input [7:0] damage);
    begin
      low_first(8'hA7);
      low_first(opcode);
      low_first(length[7:0]);
      low_first(length[15:8]);
      low_first(crc_of({opcode, length[7:0], length[15:8]}) ^ damage);
    end
  endtask
  task header(input [7:0] opcode, input [15:0] length);
    damaged_header(opcode, length, 8'h00);
  endtask
  task zeros(input integer n);
    integer i;
    for (i = 0; i < n; i = i + 1) clock(0, 1);
  endtask
  task leave;
    integer i;
    for (i = 0; i < 3; i = i + 1) clock(0, 0);
  endtask
  task hello(input [7:0] expected_status);
    begin
      header(8'h01, 16'd8);
      zeros(64);
      clock(0, 1);
      expect_that(answer[63:0] == {32'h494D5052, 8'h01, 8'h00, expected_status, 8'h00}, "hello answers something else");
    end
  endtask

  task mark(input [31:0] left, input [31:0] expected);
    begin
      header(8'h04, 16'd4);
      high_first(left[31:24]);
      high_first(left[23:16]);
      high_first(left[15:8]);
      high_first(left[7:0]);
      clock(0, 1);
      expect_that(answer[31:0] == expected, "another mark is answered");
    end
  endtask

  task exchange_status(input [7:0] expected);
    begin
      header(8'h02, 16'd2);
      high_first(8'h05);
      high_first(8'h00);
      clock(0, 1);
      expect_that(answer[7:0] == expected, "status reads something else");
    end
  endtask
  task guard(input [7:0] mask, input [7:0] value);
    begin
      header(8'h03, 16'd5);
      high_first(8'h05);
      high_first(mask);
      high_first(value);
      zeros(16);
    end
  endtask

  integer before;
  initial begin
    expect_that(crc_of(24'h010800) == 8'hC3 && crc_of(24'h020100) == 8'hC3 && crc_of(24'h020200) == 8'hFC,
                "the CRC of the contract's frames is another");
    leave;
    hello(8'h00);
    leave;

    // Write enable: one byte goes out, nothing else moves.
    before = pulses;
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(commands == 1 && last_command == 8'h06 && pulses == before + 8, "write enable did not go out");
    expect_that(cs_n === 1'b1, "chip select stays low");

    // The ID, after any number of zeros; then a status that is ready and one that is busy.
    zeros(13);
    header(8'h02, 16'd4);
    high_first(8'h9F);
    zeros(25);
    expect_that(answer[23:0] == id, "the ID reads something else");
    exchange_status(8'h00);
    status = 8'h83;
    exchange_status(8'h83);
    leave;

    // A wrong CRC and an unknown opcode make it deaf until Shift-DR is left; hello tells, once.
    before = commands;
    damaged_header(8'h02, 16'd1, 8'h10);
    high_first(8'h06);
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(4);
    expect_that(commands == before, "it hears behind a wrong CRC");
    leave;
    hello(8'h01);
    hello(8'h00);
    header(8'h05, 16'd1);
    zeros(20);
    leave;
    hello(8'h01);
    leave;

    // Marks: zeros at first, then what was left last; no wires move, and Shift-DR may be left in between.
    before = pulses;
    mark(32'hC0FFEE42, 32'd0);
    mark(32'h12345678, 32'hC0FFEE42);
    leave;
    mark(32'h9ABCDEF0, 32'h12345678);
    expect_that(pulses == before, "a mark moved the wires");
    // Of another length nothing is done, and as many bits are answered.
    header(8'h04, 16'd3);
    zeros(25);
    expect_that(answer[23:0] == 24'd0, "a short mark is answered");
    mark(32'h0BADCAFE, 32'h9ABCDEF0);
    hello(8'h00);
    // Dropped while holding.
    status = 8'h03;
    guard(8'h01, 8'h00);
    mark(32'hFFFFFFFF, 32'd0);
    hello(8'h02);
    leave;
    mark(32'h00000001, 32'h0BADCAFE);
    leave;
    status = 8'h00;

    // A guard that is met lets what follows pass; one that is not holds it back, but for hello.
    status = 8'h02;
    before = commands;
    guard(8'h01, 8'h00);
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(commands == before + 2 && last_command == 8'h06, "a guard that is met held something back");
    status = 8'h03;
    guard(8'h01, 8'h00);
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(commands == before + 3 && last_command == 8'h05, "a guard that is not met let something pass");
    hello(8'h02);
    hello(8'h00);
    leave;
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(last_command == 8'h06, "the hold outlived Shift-DR");
    leave;

    // Host errors: as many bits, nothing on the wires.
    before = pulses;
    header(8'h02, 16'd0);
    header(8'h03, 16'd3);
    zeros(24);
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(pulses == before, "a guard without status did not fail");
    leave;

    // Left in the middle of a body: chip select rises with the falling edge of the last bit.
    header(8'h02, 16'd2);
    high_first(8'h05);
    before = pulses;
    zeros(2);
    last_clock(0);
    expect_that(cs_n === 1'b1, "chip select stays low behind Shift-DR");
    leave;
    expect_that(pulses == before + 3, "SCK goes on behind Shift-DR");
    hello(8'h02);

    // The last bit of a frame is the last of the scan: its SCK pulse is whole all the same.
    leave;
    before = commands;
    header(8'h02, 16'd1);
    for (before = 7; before > 0; before = before - 1) clock(8'h06 >> before, 1);
    before = commands;
    last_clock(0);
    expect_that(commands == before + 1 && last_command == 8'h06, "the last bit of a scan got lost");
    leave;

    // Another instruction: nothing listens.
    select = 0;
    before = commands;
    header(8'h02, 16'd1);
    high_first(8'h06);
    zeros(2);
    expect_that(commands == before, "it acts while it is not selected");
    select = 1;
    leave;

    if (failures == 0) $display("ok %0d checks, %0d clocks", checks, clocks);
    else $display("%0d of %0d checks failed", failures, checks);
    $finish;
  end
endmodule
