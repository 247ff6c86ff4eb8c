// SPDX-License-Identifier: GPL-3.0-or-later
//
// The SPI bridge, version 1: one user data register of an FPGA's TAP leads to the four wires of its configuration flash.
// The contract is the page "SPI bridge, version 1"; what is said there is not said again here.
//
// Plain Verilog (IEEE 1364-2001), one clock, both edges. The TAP primitive of the device is put around it: README.md.
//
//   tck      the TAP's clock, as the primitive gives it out
//   tdi      TDI; changes on the falling edge of tck
//   select   1 while the instruction is loaded that selects this register
//   shift    1 at each rising edge of tck that is a clock in Shift-DR, the last one (TMS = 1) too
//   tdo      to the primitive; changes on the rising edge, and is the answer to the bit before

module spi_bridge (
    input  wire tck,
    input  wire tdi,
    input  wire select,
    input  wire shift,
    output reg  tdo,
    output reg  spi_cs_n,
    output wire spi_sck,
    output wire spi_mosi,
    input  wire spi_miso
);

  localparam [7:0] SYNC = 8'hA7;
  localparam [1:0] MARK = 2'd0, HELLO = 2'd1, EXCHANGE = 2'd2, GUARD = 2'd3;  // an opcode's low bits
  localparam [1:0] SEEK = 2'd0, HEADER = 2'd1, BODY = 2'd2, DEAF = 2'd3;

  reg [1:0] state;
  reg [7:0] bits;       // the last eight bits: of TDI in seek, header and a guard's head; of MISO in its status bytes
  reg [2:0] bit_count;  // within a byte
  reg [2:0] byte_count; // header: 0 to 3; body: 0 to 7 and then again 4, which is as good as all others
  reg [15:0] left;      // body bytes to come, the one under way with them
  reg [7:0] crc;
  reg [1:0] opcode;
  reg       unknown;    // the opcode is none of the four
  reg       dropped;    // the frame under way is not carried out
  reg       holding;
  reg       refused_mark, dropped_mark;
  reg [7:0] guard_command, guard_mask, guard_value;
  reg [31:0] mark;      // what a host left; zeros after configuration
  reg       gate;   // SCK follows TCK; changes while TCK is low
  reg       sending;    // MOSI is the guard's command, not TDI; changes with the gate
  reg       command_bit;

  wire active = select & shift;
  wire byte_end = bit_count == 3'd7;

  // Bits come in least significant first in headers, most significant first in bodies.
  wire [7:0] low_first = {tdi, bits[7:1]};
  wire [7:0] high_first = {bits[6:0], tdi};
  wire [7:0] status_first = {bits[6:0], spi_miso};

  // One byte through the CRC, polynomial 0x07, not reflected.
  function [7:0] crc_byte;
    input [7:0] so_far;
    input [7:0] data;
    integer i;
    begin
      crc_byte = so_far ^ data;
      for (i = 0; i < 8; i = i + 1) crc_byte = crc_byte[7] ? {crc_byte[6:0], 1'b0} ^ 8'h07 : {crc_byte[6:0], 1'b0};
    end
  endfunction

  // What a frame does on the wires: all of an exchange; of a guard the command (byte 3) and the status bytes.
  wire on_wires = state == BODY & ~dropped & (opcode == EXCHANGE | (opcode == GUARD & byte_count >= 3'd3));
  wire sends_command = opcode == GUARD & byte_count == 3'd3;

  wire [15:0] length = {low_first, left[7:0]};  // valid with the last bit of the header's third byte
  wire short = opcode == HELLO ? left != 16'd8 : opcode == EXCHANGE ? left == 16'd0 :
               opcode == MARK ? left != 16'd4 : left < 16'd5;
  wire held = holding & opcode != HELLO;

  // Hello's answer, most significant bit first.
  reg [7:0] hello_byte;
  always @* begin
    case (byte_count)
      3'd0: hello_byte = 8'h49;
      3'd1: hello_byte = 8'h4D;
      3'd2: hello_byte = 8'h50;
      3'd3: hello_byte = 8'h52;
      3'd4: hello_byte = 8'h01;
      3'd6: hello_byte = {6'd0, dropped_mark, refused_mark};
      default: hello_byte = 8'h00;
    endcase
  end

  always @(posedge tck) begin
    tdo <= 1'b0;
    if (~active) begin
      state <= SEEK;
      bits <= 8'd0;
      holding <= 1'b0;
    end else begin
      case (state)
        SEEK: begin
          bits <= low_first;
          if (low_first == SYNC) begin
            state <= HEADER;
            bit_count <= 3'd0;
            byte_count <= 3'd0;
            crc <= 8'd0;
          end
        end

        HEADER: begin
          bits <= low_first;
          bit_count <= bit_count + 3'd1;
          if (byte_end) begin
            byte_count <= byte_count + 3'd1;
            crc <= crc_byte(crc, low_first);
            case (byte_count)
              3'd0: begin
                opcode <= low_first[1:0];
                unknown <= low_first != 8'h04 & (low_first[7:2] != 6'd0 | low_first[1:0] == 2'd0);
              end
              3'd1: left[7:0] <= low_first;
              3'd2: left <= length;
              default: begin
                byte_count <= 3'd0;
                bits <= 8'd0;
                if (low_first != crc | unknown) begin
                  state <= DEAF;
                  refused_mark <= 1'b1;
                end else begin
                  state <= left == 16'd0 ? SEEK : BODY;
                  dropped <= held | short;
                  if (held) dropped_mark <= 1'b1;
                  else if (short & opcode == GUARD) holding <= 1'b1;
                end
              end
            endcase
          end
        end

        BODY: begin
          bit_count <= bit_count + 3'd1;
          if (~dropped) begin
            if (opcode == HELLO) tdo <= hello_byte[3'd7 - bit_count];
            else if (opcode == MARK) {tdo, mark} <= {mark, tdi};
            else if (on_wires & ~sends_command) tdo <= spi_miso;
          end
          bits <= opcode == GUARD & byte_count > 3'd3 ? status_first : high_first;
          if (byte_end) begin
            byte_count <= byte_count == 3'd7 ? 3'd4 : byte_count + 3'd1;
            left <= left - 16'd1;
            if (~dropped) begin
              if (opcode == HELLO & byte_count == 3'd6) {dropped_mark, refused_mark} <= 2'd0;
              if (opcode == GUARD) begin
                if (byte_count == 3'd0) guard_command <= high_first;
                if (byte_count == 3'd1) guard_mask <= high_first;
                if (byte_count == 3'd2) guard_value <= high_first;
              end
            end
            if (left == 16'd1) begin
              state <= SEEK;
              bits <= 8'd0;
              if (~dropped & opcode == GUARD & (status_first & guard_mask) != guard_value) holding <= 1'b1;
            end
          end
        end

        DEAF: ;
      endcase
    end
  end

  // Chip select and the clock's gate change while TCK is low; a guard's command bit with them, so that it stands still
  // around the rising edge.
  always @(negedge tck) begin
    spi_cs_n <= ~(on_wires & active);
    gate <= on_wires & active;
    sending <= sends_command;
    command_bit <= guard_command[3'd7 - bit_count];
  end

  assign spi_sck = tck & gate;
  assign spi_mosi = sending ? command_bit : tdi;

  // What a configured device starts with; nothing but the mark and hello's status is kept between scans.
  initial begin
    state = SEEK;
    bits = 8'd0;
    tdo = 1'b0;
    holding = 1'b0;
    refused_mark = 1'b0;
    dropped_mark = 1'b0;
    spi_cs_n = 1'b1;
    gate = 1'b0;
    sending = 1'b0;
    command_bit = 1'b0;
    bit_count = 3'd0;
    byte_count = 3'd0;
    left = 16'd0;
    crc = 8'd0;
    opcode = 2'd0;
    unknown = 1'b0;
    mark = 32'd0;
    dropped = 1'b0;
    guard_command = 8'd0;
    guard_mask = 8'd0;
    guard_value = 8'd0;
  end

endmodule
